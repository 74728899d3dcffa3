"""What is backed up while people work and workers compute is restored elsewhere as it was at one moment."""

from __future__ import annotations

import subprocess
import sys
import tempfile
import threading
from pathlib import Path

import psycopg

from api.tests.installation import SERVER, InstallationCase

SEED = """
import django; django.setup()
from accounts.models import Role, User
from api.tests.base import Fixture
fixture = Fixture()
variant = fixture.make(rows=6)
fixture.plan(variant); fixture.plan(variant)
"""
COUNTED = (
    "studies_study",
    "studies_workload",
    "studies_variant",
    "runs_fit",
    "runs_statedproblem",
    "accounts_user",
    "catalogue_offer",
)


class TestBackup(InstallationCase):
    def setUp(self) -> None:
        super().setUp()
        self.prepared()
        environment = self.environment | {"DJANGO_SETTINGS_MODULE": "config.settings"}
        subprocess.run([sys.executable, "-c", SEED], cwd=SERVER, env=environment, check=True, timeout=300)
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.file = Path(folder.name) / "own.dump"

    def fits(self, database: str) -> list[tuple[object, ...]]:
        return self.sql(
            "select f.id, f.digest, md5(f.solution), md5(p.text) from runs_fit f join runs_statedproblem p on p.id = f.stated_id order by f.id",
            database,
        )

    def test_it_is_restored_elsewhere_as_it_was_and_never_over_anything(self) -> None:
        over = threading.Event()
        edits = threading.Thread(target=self.edit, args=(over,))
        edits.start()
        try:
            status, said = self.manage("backup", str(self.file))
        finally:
            over.set()
            edits.join()
        self.assertEqual(status, 0, said)
        self.assertEqual(self.file.stat().st_mode & 0o077, 0)
        self.assertIn("is there already", self.manage("backup", str(self.file))[1])
        self.assertIn("is not empty", self.manage("restore", str(self.file))[1])
        before, other = self.fits(self.name), f"{self.name}_b"
        self.sql(f"create database {other}", "postgres")
        self.addCleanup(lambda: self.sql(f"drop database {other} with (force)", "postgres"))
        self.environment["ROMBEL_DB_NAME"] = other
        broken = self.file.with_name("broken.dump")
        broken.write_bytes(self.file.read_bytes()[: self.file.stat().st_size // 2])
        status, said = self.manage("restore", str(broken))
        self.assertEqual((status, "Nothing was restored" in said), (1, True), said)
        self.assertEqual(self.sql("select count(*) from pg_tables where schemaname = 'public'", other), [(0,)])
        status, said = self.manage("restore", str(self.file))
        self.assertEqual((status, said.strip()), (0, "Restored: 2 fits, each of the problem whose fingerprint it has."))
        self.assertEqual((len(before), self.fits(other)), (2, before))
        for table in COUNTED:
            self.assertEqual(
                self.sql(f"select count(*) from {table}", other), self.sql(f"select count(*) from {table}"), table
            )
        # Both rows of an edit, or neither: what was written together was backed up together.
        (edit,) = self.sql("select growth_percent, organisation from studies_study", other)
        self.assertEqual(str(edit[0]), edit[1])

    def edit(self, over: threading.Event) -> None:
        """Change two fields of the study together, again and again."""
        with psycopg.connect(dbname=self.name, autocommit=True, **self.server) as connection:
            number = 0
            while not over.is_set():
                number = (number + 1) % 90
                with connection.transaction():
                    connection.execute("update studies_study set growth_percent = %s", (number,))
                    connection.execute("update studies_study set organisation = %s", (str(number),))

    def test_where_nothing_can_be_written_there_is_no_half_of_a_file(self) -> None:
        status, said = self.manage("backup", "/proc/nowhere/own.dump")
        self.assertEqual((status, "Nothing was backed up" in said), (1, True), said)

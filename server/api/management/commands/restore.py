"""``manage.py restore FILE``: a database as it was backed up, whole or not at all, and looked at afterwards."""

from pathlib import Path
from typing import Any

from django.core.management import call_command
from django.core.management.base import BaseCommand, CommandError, CommandParser
from django.db import OperationalError, connection

from config.dumps import NotDone, run_for_database
from runs.stored import of_other_problems


class Command(BaseCommand):
    """Restore into an empty database; what holds something already is never written over."""

    help = "Read a database back from a file, into an empty one."

    def add_arguments(self, parser: CommandParser) -> None:
        """Take the file."""
        parser.add_argument("file", type=Path)

    def handle(self, *args: Any, file: Path, **options: Any) -> None:
        """Restore, bring the tables to this version, and look at every fit."""
        if not file.is_file():
            raise CommandError(f"There is no file {file}.")
        try:
            tables = connection.introspection.table_names()
        except OperationalError as error:
            raise CommandError(str(error).strip()) from None
        if tables:
            name = connection.settings_dict["NAME"]
            raise CommandError(
                f"The database {name} is not empty, and nothing is written over. Make a new one and name it in ROMBEL_DB_NAME."
            )
        connection.close()
        try:
            # In one transaction: a file that breaks off half-way leaves the database as empty as it was.
            words = ("--no-owner", "--no-privileges", "--exit-on-error", "--single-transaction")
            run_for_database("pg_restore", *words, f"--dbname={connection.settings_dict['NAME']}", str(file))
        except NotDone as error:
            raise CommandError(f"Nothing was restored. {error}") from None
        call_command("migrate", verbosity=0)
        fits, wrong = of_other_problems()
        if wrong:
            raise CommandError(
                f"{wrong} of {fits} fits are not of the problem whose fingerprint they have: the file is not as it was written."
            )
        self.stdout.write(f"Restored: {fits} fits, each of the problem whose fingerprint it has.")

"""The demo of the last version that landed, restored by this one: nothing is lost, and everything opens.

``fixtures/landed.dump`` is a backup of that demo with most of its measured series left out; ``landed.json`` says what it held.
"""

from __future__ import annotations

import json
import subprocess
import sys
from pathlib import Path

from api.tests.installation import SERVER, InstallationCase

FIXTURES = Path(__file__).parent / "fixtures"
KEPT = {
    "runs_fit": "solution",
    "runs_statedproblem": "digest, text",
    "runs_inquiry": "question, given, answer",
    "studies_workload": "namespace, name, replicas, cpu_millicores, memory_bytes, pod, sizing",
    "studies_variant": "name, zones, limits, beside, addresses, build, sizes",
    "studies_edit": "summary, changes, undone",
    "signing_signoff": "state, seen",
    "builds_clusterbuild": "cluster, wanted, changes, outputs",
    "catalogue_offer": "purchase, price_per_hour",
    "accounts_auditentry": "action, subject, detail",
    "measured_usageseries": "id",
}
"""By table what of each row has to stay as it was, letter by letter."""
OPENED = """
import django; django.setup()
from django.test import Client
from accounts.models import User
from runs.models import Fit
from studies.models import Study, Variant
client = Client(); client.force_login(User.objects.get(username="lead"))
paths = ["/api/studies", "/api/inbox", "/api/starters", "/api/intakes", "/api/catalogue/providers", "/api/house"]
for variant in Variant.objects.all():
    paths += [f"/api/variants/{variant.pk}/{part}" for part in ("bench", "prerequisites")]
    paths += [f"/api/variants/{variant.pk}/bill"] if variant.fits.exists() else []
paths += [f"/api/fits/{fit.pk}/bundle.zip" for fit in Fit.objects.exclude(status="infeasible").order_by("-pk")[:3]]
paths += [f"/api/studies/{study.pk}/{part}" for study in Study.objects.all() for part in ("file.json", "trail")]
wrong = {path: status for path in paths if (status := client.get(path).status_code) != 200}
print(len(paths), wrong)
"""


class TestUpgrade(InstallationCase):
    def test_what_the_landed_version_held_is_held_and_opens(self) -> None:
        status, said = self.manage("restore", str(FIXTURES / "landed.dump"))
        self.assertEqual(status, 0, said)
        self.assertEqual(self.held(), json.loads((FIXTURES / "landed.json").read_text("utf-8")))
        environment = self.environment | {"DJANGO_SETTINGS_MODULE": "config.settings", "ROMBEL_HOSTS": "testserver"}
        done = subprocess.run(
            [sys.executable, "-c", OPENED],
            cwd=SERVER,
            env=environment,
            capture_output=True,
            text=True,
            timeout=400,
            check=False,
        )
        count, _, wrong = done.stdout.strip().rpartition("\n")[2].partition(" ")
        self.assertEqual((int(count or 0) > 40, wrong), (True, "{}"), done.stdout + done.stderr[-2000:])

    def held(self) -> dict[str, list[object]]:
        """Return by table how many rows it has, and the fingerprint of what has to stay of them."""
        found = {}
        for table, told in KEPT.items():
            ((count, print_of),) = self.sql(
                f"select count(*), md5(string_agg(told, '' order by told)) from "
                f"(select md5(concat_ws('|', {told})) as told from {table}) as rows"
            )
            found[table] = [count, print_of]
        return found

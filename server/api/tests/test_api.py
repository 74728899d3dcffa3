"""The API: who may do what, and every bad input answered as a problem with nothing changed."""

from __future__ import annotations

import uuid
from typing import Any

from django.db import connection
from django.test import Client

from accounts.models import AuditEntry
from api.tests.base import MANIFEST, ApiCase
from studies.models import Study


class TestPermissions(ApiCase):
    def setUp(self) -> None:
        self.variant = self.make()
        self.study = self.variant.study

    def test_nothing_is_read_or_changed_without_a_session_or_a_token(self) -> None:
        for path in ("/api/session", "/api/studies", f"/api/variants/{self.variant.pk}/bench"):
            answer = Client().get(path)
            self.assertEqual((answer.status_code, answer["Content-Type"]), (401, "application/problem+json"))
        client = self.signed_in("planner")
        answer = client.post("/api/studies", '{"name": "x"}', content_type="application/json")
        self.assertEqual((answer.status_code, Study.objects.count()), (403, 1))

    def test_a_viewer_reads_and_changes_nothing(self) -> None:
        client = self.signed_in("viewer")
        self.assertEqual(client.get(f"/api/variants/{self.variant.pk}/bench").status_code, 200)
        for method, path, body in (
            ("post", "/studies", {"name": "mine"}),
            ("patch", f"/variants/{self.variant.pk}", {"survive_zone": "none"}),
            ("patch", f"/studies/{self.study.pk}/demand", {"cells": {}, "removed": []}),
            ("post", f"/studies/{self.study.pk}/imports", {"format": "manifests", "text": MANIFEST}),
            ("post", f"/studies/{self.study.pk}/undo", {}),
            ("post", f"/variants/{self.variant.pk}/runs", {}),
            ("post", f"/variants/{self.variant.pk}/copies", {"name": "x"}),
        ):
            with self.subTest(path):
                self.assertEqual(self.send(client, method, path, body).status_code, 403)
        self.assertEqual(AuditEntry.objects.count(), 0)

    def test_signing_in_needs_the_right_password(self) -> None:
        client = Client()
        client.get("/")
        wrong = self.send(client, "post", "/session", {"username": "lead", "password": "no"})
        right = self.send(client, "post", "/session", {"username": "lead", "password": "pw-for-tests"})
        self.assertEqual((wrong.status_code, right.status_code), (401, 200))
        self.assertEqual(client.get("/api/session").json()["role"], "lead")


class TestChanges(ApiCase):
    def setUp(self) -> None:
        self.variant = self.make()
        self.study, self.client = self.variant.study, self.signed_in("planner")

    def demand(self) -> Any:
        return self.client.get(f"/api/variants/{self.variant.pk}/bench").json()["workloads"]

    def test_a_new_study_starts_with_its_reference(self) -> None:
        answer = self.send(self.client, "post", "/studies", {"name": "Winter"})
        self.assertEqual((answer.status_code, answer.json()["variants"][0]["is_reference"]), (201, True))
        self.assertEqual(self.send(self.client, "post", "/studies", {"name": "Winter"}).status_code, 422)
        empty = self.client.get(f"/api/variants/{answer.json()['variants'][0]['id']}/bench").json()
        self.assertEqual(empty["faults"][0]["code"], "supply.region")

    def test_cells_are_taken_as_typed_and_every_edit_can_be_undone_and_done_again(self) -> None:
        before, path = self.demand(), f"/studies/{self.study.pk}"
        cells = {
            before[0]["key"]: {"cpu": "1,5", "memory": "2 GiB"},
            str(uuid.uuid4()): {"namespace": "n", "name": "m", "cpu": "1", "memory": "1Gi"},
        }
        edit = {"cells": cells, "removed": [before[1]["key"]]}
        self.assertEqual(self.send(self.client, "patch", f"{path}/demand", edit).status_code, 204)
        after = self.demand()
        self.assertEqual(
            (after[0]["cpu"], after[0]["memory"], after[-1]["name"], len(after)), ("1,5", "2 GiB", "m", len(before))
        )
        self.send(self.client, "post", f"{path}/undo")
        self.assertEqual(self.demand(), before)
        self.send(self.client, "post", f"{path}/redo")
        self.assertEqual(self.demand(), after)
        self.assertEqual(self.send(self.client, "post", f"{path}/redo").status_code, 422)
        self.assertEqual(AuditEntry.objects.filter(action__in=("demand.edit", "edit.step")).count(), 3)

    def test_an_edit_with_any_fault_changes_nothing(self) -> None:
        before = self.demand()
        for cells in (
            {before[0]["key"]: {"cpu": "2"}, before[1]["key"]: {"memory": "1K"}},
            {before[0]["key"]: {"replicas": "-2"}},
            {before[0]["key"]: {"colour": "red"}},
            {before[0]["key"]: {"name": before[1]["name"], "namespace": before[1]["namespace"]}},
            {"not-a-key": {"cpu": "1"}},
        ):
            answer = self.send(self.client, "patch", f"/studies/{self.study.pk}/demand", {"cells": cells})
            self.assertEqual((answer.status_code, bool(answer.json()["faults"])), (422, True), cells)
        self.assertEqual(self.demand(), before)

    def test_an_import_is_shown_first_then_taken_whole_with_one_undo(self) -> None:
        path, before = f"/studies/{self.study.pk}", self.demand()
        reading = self.send(self.client, "post", f"{path}/readings", {"format": "manifests", "text": MANIFEST}).json()
        self.assertEqual((reading["rows"][0]["change"], self.demand()), ("new", before))
        self.assertEqual(
            self.send(self.client, "post", f"{path}/imports", {"format": "manifests", "text": MANIFEST}).json()["rows"],
            1,
        )
        again = self.send(self.client, "post", f"{path}/readings", {"format": "manifests", "text": MANIFEST}).json()
        self.assertEqual((again["rows"][0]["change"], len(self.demand())), ("same", len(before) + 1))
        self.send(self.client, "post", f"{path}/undo")
        self.assertEqual(self.demand(), before)

    def test_nothing_of_a_faulty_import_is_stored(self) -> None:
        before = self.demand()
        for format_name, text in (
            ("manifests", MANIFEST + "---\n" + MANIFEST.replace("250m", "1K").replace("kiosk", "other")),
            ("manifests", "kind: [broken"),
            ("csv", "namespace,name,replicas,cpu,memory\na,b,1,1,1Gi\na,c,-1,1,1Gi\n"),
        ):
            answer = self.send(
                self.client, "post", f"/studies/{self.study.pk}/imports", {"format": format_name, "text": text}
            )
            self.assertEqual((answer.status_code, answer.json()["faults"][0]["line"] > 0), (422, True))
        self.assertEqual(self.demand(), before)

    def test_hostile_requests_get_a_problem_and_never_a_failure(self) -> None:
        path = f"/studies/{self.study.pk}"
        for method, address, body, status in (
            ("post", f"{path}/readings", {"format": "manifests", "text": "x" * (25 * 2**20)}, 413),
            ("post", f"{path}/readings", {"format": "manifests", "text": "x" * (5 * 2**20 + 1)}, 202),
            ("post", f"{path}/readings", {"format": "toml", "text": ""}, 422),
            ("post", "/studies/99999/undo", {}, 404),
            ("patch", f"/variants/{self.variant.pk}", {"zones": ["moon"]}, 422),
            ("patch", f"/variants/{self.variant.pk}", {"region_id": 10**12}, 422),
            ("patch", f"/variants/{self.variant.pk}", {"most_pools": 0}, 422),
            ("patch", f"/variants/{self.variant.pk}", {"survive_zone": None}, 422),
            ("post", "/nowhere", {}, 404),
            ("post", "/studies", {"name": "nul \x00 byte"}, 422),
        ):
            with self.subTest(address=address, status=status):
                answer = self.send(self.client, method, address, body)
                self.assertEqual(answer.status_code, status)
                if status >= 400:
                    self.assertEqual(answer["Content-Type"], "application/problem+json")

    def test_choosing_a_region_takes_its_zones_and_a_study_without_zones_says_what_is_missing(self) -> None:
        isle = next(r for r in self.client.get("/api/catalogue/regions").json() if r["name"] == "far-isle")
        self.send(self.client, "patch", f"/variants/{self.variant.pk}", {"region_id": isle["id"]})
        bench = self.client.get(f"/api/variants/{self.variant.pk}/bench").json()
        self.assertEqual(bench["variant"]["zones"], ["gull"])
        self.send(self.client, "patch", f"/variants/{self.variant.pk}", {"zones": []})
        answer = self.send(self.client, "post", f"/variants/{self.variant.pk}/runs")
        self.assertEqual((answer.status_code, answer.json()["faults"][0]["code"]), (422, "supply.zones"))

    def test_pages_carry_a_strict_policy_and_health_is_answered(self) -> None:
        page = Client().get("/bench/1/fit")
        policy = page["Content-Security-Policy"]
        self.assertIn("default-src 'self'", policy)
        self.assertNotIn("unsafe-eval", policy)
        self.assertEqual((page["X-Frame-Options"], page["X-Content-Type-Options"]), ("DENY", "nosniff"))
        self.assertEqual([Client().get(path).status_code for path in ("/healthz", "/readyz")], [200, 503])
        self.assertEqual(Client().get("/readyz").json(), {"status": "no workers", "workers": 0})
        with connection.cursor() as cursor:
            cursor.execute("insert into procrastinate_workers (last_heartbeat) values (now())")
        self.assertEqual((Client().get("/readyz").status_code, Client().get("/readyz").json()["workers"]), (200, 1))

"""A starter makes the study that it shows while it is filled in, in versions that never change, and its studies are told of newer ones."""

from __future__ import annotations

from decimal import Decimal
from typing import Any

from accounts.models import AuditEntry, Role, User
from api.tests.base import ApiCase, WorkerCase
from catalogue.models import Edition, Region
from starters.models import StarterUse, StarterVersion
from studies.models import Study, Variant, Workload

RATE = {"name": "rate", "label": "requests", "unit": "a second", "value": "100", "least": "1", "most": "5000"}


class Starting:
    """What both kinds of test share."""

    variant: Variant

    def saved(self: Any, **more: Any) -> Any:
        """Save the variant as a starter, as a lead."""
        body = {"name": "Ticketing", "note": "what sells", "variant_id": self.variant.pk, **more}
        return self.send(self.lead, "post", "/starters", body)

    def version(self: Any, starter: Any, client: Any = None, **changed: Any) -> Any:
        """Save a next version with some formulas."""
        first = starter["rows"][-1]["name"]
        formulas = {row["name"]: {k: text for k, text in row["formulas"].items() if text} for row in starter["rows"]}
        formulas[first] = {"replicas": "max(2, ceil(rate / 30 * size))"}
        blanks = {"inputs": [RATE], "sizes": [{"name": "S", "factor": "0.5"}, {"name": "M", "factor": "1"}]}
        body = {"after": starter["version"], "blanks": {**blanks, "formulas": formulas}, "why": "follows the rate"}
        return self.send(client or self.lead, "post", f"/starters/{starter['id']}/versions", {**body, **changed})

    def answers(self: Any, **changed: Any) -> dict[str, Any]:
        """Return what is filled in."""
        region = Region.objects.filter(name="north-sound").latest("pk").pk
        return {"name": "Kiosks", "region_id": region, "size": "M", **changed}


class TestStarters(Starting, ApiCase):
    def setUp(self) -> None:
        self.variant = self.make(rows=3, survive="none")
        self.client, self.lead = self.signed_in("planner"), self.signed_in("lead")

    def test_leads_save_versions_and_nobody_else_and_one_after_the_other(self) -> None:
        refused = self.send(self.client, "post", "/starters", {"name": "x", "variant_id": self.variant.pk})
        self.assertEqual(refused.status_code, 403)
        starter = self.saved().json()
        self.assertEqual(self.saved().status_code, 422)
        self.assertEqual(self.version(starter, self.client).status_code, 403)
        made = self.version(starter)
        self.assertEqual((made.status_code, made.json()["version"]), (201, 2), made.content)
        # Who looked at the first version is told of the second, and keeps nothing by accident.
        late = self.version(starter)
        self.assertEqual(late.status_code, 409)
        self.assertIn("saved version 2", late.json()["title"])
        self.assertEqual(self.version(made.json(), why=" ").status_code, 422)
        same = self.version(made.json(), why="again")
        self.assertEqual(same.json()["faults"][0]["code"], "starter.same")
        bad = self.version({**made.json(), "rows": [{**made.json()["rows"][2], "name": "no/such"}]})
        self.assertEqual(bad.json()["faults"][0]["path"], "formulas.no/such")
        self.assertEqual(StarterVersion.objects.count(), 2)

    def test_what_is_shown_while_it_is_filled_in_stores_nothing_and_is_what_is_made(self) -> None:
        starter = self.version(self.saved().json()).json()
        before = (Study.objects.count(), Workload.objects.count(), AuditEntry.objects.count(), Edition.objects.count())
        path = f"/starters/{starter['id']}"
        shown = {}
        for size, rate in (("M", "100"), ("M", "3000"), ("S", "3000")):
            answer = self.send(self.client, "post", f"{path}/trials", self.answers(size=size, inputs={"rate": rate}))
            self.assertEqual(answer.status_code, 200, answer.content)
            shown[size, rate] = answer.json()
            self.assertLessEqual(Decimal(answer.json()["floor_per_month"]), Decimal(answer.json()["cost_per_month"]))
        self.assertEqual(
            (Study.objects.count(), Workload.objects.count(), AuditEntry.objects.count(), Edition.objects.count()),
            before,
        )
        few, many, half = shown.values()
        self.assertLess(Decimal(few["cost_per_month"]), Decimal(many["cost_per_month"]))
        self.assertLess(half["replicas"], many["replicas"])
        made = self.send(self.client, "post", f"{path}/studies", self.answers(size="S", inputs={"rate": "3000"}))
        self.assertEqual(made.status_code, 201, made.content)
        self.assertEqual(made.json()["replicas"], half["replicas"])
        study = Study.objects.get(pk=made.json()["id"])
        self.assertEqual(study.workloads.all()[2].replicas, 50)
        self.assertEqual((study.created_by.username, study.variants.get().runs.count()), ("planner", 1))
        # A name in use is told, and nothing typed is lost by it: it stands in the request.
        twice = self.send(self.client, "post", f"{path}/studies", self.answers())
        self.assertEqual((twice.status_code, twice.json()["faults"][0]["path"]), (422, "name"))

    def test_bad_answers_and_a_region_that_is_no_longer_sold_are_told_with_their_place(self) -> None:
        starter = self.version(self.saved().json()).json()
        gone = Region.objects.earliest("pk")
        Edition.objects.create(
            provider=gone.edition.provider, dated="2026-11-29", currency="EUR", source="newer", taken_by=None
        )
        for changed, code, path in (
            ({"size": "XL"}, "starter.size", "size"),
            ({"inputs": {"rate": "9e9"}}, "number.decimal", "inputs.rate"),
            ({"inputs": {"rate": "6000"}}, "starter.range", "inputs.rate"),
            ({"region_id": 10**9}, "starter.region", "region_id"),
            ({"region_id": gone.pk}, "starter.region", "region_id"),
        ):
            for what in ("trials", "studies"):
                answer = self.send(self.client, "post", f"/starters/{starter['id']}/{what}", self.answers(**changed))
                fault = answer.json()["faults"][0]
                self.assertEqual((answer.status_code, fault["code"], fault["path"]), (422, code, path))
        viewer = self.signed_in("viewer")
        self.assertEqual(
            self.send(viewer, "post", f"/starters/{starter['id']}/studies", self.answers()).status_code, 403
        )
        self.assertIsNone(viewer.get(f"/api/starters/{starter['id']}").json()["region_id"])
        self.assertEqual(Study.objects.count(), 1)

    def test_studies_are_told_of_a_newer_version_and_of_what_it_would_change(self) -> None:
        starter = self.version(self.saved().json()).json()
        made = self.send(self.client, "post", f"/starters/{starter['id']}/studies", self.answers()).json()
        told = self.client.get(f"/api/studies/{made['id']}/starter").json()
        self.assertEqual((told["version"], told["newest"], told["changes"]), (2, 2, []))
        name = starter["rows"][-1]["name"]
        formulas = {name: {"replicas": "max(2, ceil(rate / 10 * size))"}}
        blanks = {"inputs": [RATE], "sizes": [{"name": "M", "factor": "1"}], "formulas": formulas}
        self.assertEqual(self.version(starter, blanks=blanks, why="slower replicas").status_code, 201)
        told = self.client.get(f"/api/studies/{made['id']}/starter").json()
        self.assertEqual((told["newest"], told["why"]), (3, "slower replicas"))
        self.assertIn(f"{name}: replicas 4, then 10.", told["changes"])
        notices = self.client.get("/api/inbox").json()["notices"]
        self.assertIn("saved version 3 of the starter Ticketing: slower replicas", notices[0]["words"])
        # The study itself stays as it was made.
        self.assertEqual(Study.objects.get(pk=made["id"]).workloads.all()[2].replicas, 4)
        uses = self.client.get("/api/starters").json()["starters"][0]["uses"]
        self.assertEqual([(use["study_name"], use["version"]) for use in uses], [("Kiosks", 2)])
        # Where the study is not there for somebody, neither is its use.
        Study.objects.filter(pk=made["id"]).update(others="nothing")
        User.objects.create_user("guest", password="pw-for-tests", role=Role.PLANNER)
        self.assertEqual(self.signed_in("guest").get("/api/starters").json()["starters"][0]["uses"], [])

    def test_a_starter_that_is_put_away_is_no_longer_offered_and_still_known(self) -> None:
        starter = self.saved().json()
        made = self.send(self.client, "post", f"/starters/{starter['id']}/studies", self.answers()).json()
        put = self.send(self.lead, "patch", f"/starters/{starter['id']}", {"put_away": True, "name": "Kiosk"})
        self.assertEqual(put.status_code, 204)
        self.assertEqual(self.client.get("/api/starters").json()["starters"], [])
        self.assertEqual(len(self.lead.get("/api/starters").json()["starters"]), 1)
        self.assertEqual(self.client.get(f"/api/studies/{made['id']}/starter").json()["starter"], "Kiosk")
        self.assertIsNone(self.client.get(f"/api/studies/{self.variant.study_id}/starter").json())


class TestTogether(Starting, WorkerCase):
    def test_of_two_leads_who_save_a_version_at_once_one_is_told(self) -> None:
        self.variant = self.make(rows=3, survive="none")
        self.client, self.lead = self.signed_in("planner"), self.signed_in("lead")
        User.objects.create_user("second", password="pw-for-tests", role=Role.LEAD)
        starter, second = self.saved().json(), self.signed_in("second")
        answers = self.together(lambda: self.version(starter), lambda: self.version(starter, second))
        self.assertEqual(sorted(answer.status_code for answer in answers), [201, 409])
        self.assertEqual(StarterVersion.objects.count(), 2)

    def test_of_two_requests_for_one_name_one_study_is_made(self) -> None:
        self.variant = self.make(rows=3, survive="none")
        self.client, self.lead = self.signed_in("planner"), self.signed_in("lead")
        starter, path = self.saved().json(), "/starters/{}/studies"
        other = self.signed_in("lead")
        answers = self.together(
            lambda: self.send(self.client, "post", path.format(starter["id"]), self.answers()),
            lambda: self.send(other, "post", path.format(starter["id"]), self.answers()),
        )
        self.assertEqual(sorted(answer.status_code for answer in answers), [201, 409])
        self.assertEqual(StarterUse.objects.count(), 1)

"""Pre-flight through the API: what is found is told with when it would have struck, and is accepted with a reason, but never what would fail."""

from __future__ import annotations

from datetime import date
from typing import Any

from api.tests.base import WorkerCase
from studies.adapt import problem_of
from studies.models import AcceptedFinding, Variant, Workload


class TestPreflight(WorkerCase):
    def setUp(self) -> None:
        self.variant = self.make(rows=4)
        self.client = self.signed_in("planner")
        self.path = f"/variants/{self.variant.pk}"

    def found(self, code: str) -> list[dict[str, Any]]:
        """Return the findings of a rule as the bench has them."""
        bench = self.client.get(f"/api{self.path}/bench").json()
        return [each for each in bench["findings"] if each["code"] == code]

    def test_a_care_is_accepted_with_a_reason_until_it_is_another_one(self) -> None:
        Variant.objects.filter(pk=self.variant.pk).update(survive_zone="landing", control_plane_members=1)
        (plane,) = self.found("targets.plane")
        self.assertEqual(
            (plane["level"], plane["when"], plane["accepted"]), ("care", "on the day a zone is lost", None)
        )
        self.assertEqual(plane["mend"]["control_plane_members"], 3)
        said = {"code": plane["code"], "text": plane["text"], "why": "a trial of two weeks"}
        accept = f"{self.path}/findings/accepted"
        self.assertEqual(self.send(self.client, "post", accept, {**said, "why": " "}).status_code, 422)
        self.assertEqual(self.send(self.client, "post", accept, {**said, "text": "of another one"}).status_code, 404)
        self.assertEqual(self.send(self.signed_in("viewer"), "post", accept, said).status_code, 403)
        self.assertEqual(AcceptedFinding.objects.count(), 0)
        for why in ("a trial of two weeks", "a trial of three"):
            # Said twice it is the same acceptance, with the later reason.
            self.assertEqual(self.send(self.client, "post", accept, {**said, "why": why}).status_code, 204)
        (plane,) = self.found("targets.plane")
        self.assertEqual(plane["accepted"]["why"], "a trial of three")
        reopen = {"code": plane["code"], "text": plane["text"]}
        self.assertEqual(self.send(self.client, "post", f"{self.path}/findings/reopened", reopen).status_code, 204)
        self.assertEqual(self.send(self.client, "post", f"{self.path}/findings/reopened", reopen).status_code, 404)
        self.assertIsNone(self.found("targets.plane")[0]["accepted"])

    def test_what_would_fail_is_never_accepted_and_goes_once_it_is_mended(self) -> None:
        row = self.variant.study.workloads.all()[0]
        Workload.objects.filter(pk=row.pk).update(name="Api")
        budget = {"min_available": "100%", "max_unavailable": ""}
        Workload.objects.filter(pk=row.pk).update(budget=budget)
        (stuck,) = self.found("demand.budget")
        # The edit that is offered mends it.
        edit = {"cells": stuck["mend"]["cells"], "removed": []}
        path = f"/studies/{self.variant.study_id}/demand"
        self.assertEqual(self.send(self.client, "patch", path, edit).status_code, 204)
        self.assertEqual(self.found("demand.budget"), [])
        (stop,) = self.found("names.form")
        self.assertEqual((stop["level"], stop["when"], stop["place"]), ("stop", "at minute 0", "demand"))
        said = {"code": stop["code"], "text": stop["text"], "why": "it always was so"}
        refused = self.send(self.client, "post", f"{self.path}/findings/accepted", said)
        self.assertEqual((refused.status_code, refused.json()["faults"][0]["code"]), (422, "finding.stop"))
        Workload.objects.filter(pk=row.pk).update(name="api")
        self.assertEqual(self.found("names.form"), [])

    def test_a_build_is_judged_and_what_must_exist_is_owned_and_ticked(self) -> None:
        def state(**stated: Any) -> Any:
            return self.send(self.client, "patch", self.path, {"build": stated})

        match = {"what": "domain", "one": "a.example", "other": "A.example"}
        self.assertEqual(state(version_now="1.28", version_to="1.30", matches=[match]).status_code, 204)
        self.assertEqual([each["when"] for each in self.found("versions.step")], ["on the first upgrade"])
        self.assertEqual(len(self.found("names.match")), 1)
        bad: list[tuple[dict[str, Any], str]] = [
            ({"version_to": "thirty"}, "build.version_to"),
            ({"version_ends": "2028-02-30"}, "build.version_ends"),
            ({"matches": [match, match]}, "build.matches.1.what"),
            ({"needed": [{"what": "images", "zones": ["moon"]}]}, "build.needed.0.zones"),
            ({"route_tables": {"moon": "inside"}}, "build.route_tables"),
        ]
        for stated, path in bad:
            refused = state(**stated)
            self.assertEqual((refused.status_code, refused.json()["faults"][0]["path"]), (422, path))
        # Two who write different parts lose nothing.
        for done in (
            {"credentials": {"owner": "Platform"}},
            {"images": {"done": True}},
            {"credentials": {"done": True}},
        ):
            self.assertEqual(state(done=done).status_code, 204)
        self.variant.refresh_from_db()
        self.assertEqual(self.variant.build["version_to"], "1.30")
        listed = {each["code"]: each for each in self.client.get(f"/api{self.path}/prerequisites").json()}
        self.assertEqual((listed["credentials"]["owner"], listed["credentials"]["done"]), ("Platform", True))
        self.assertIn("match.domain", listed)
        self.assertEqual(self.send(self.client, "post", f"/studies/{self.variant.study_id}/undo").status_code, 204)
        self.variant.refresh_from_db()
        self.assertNotIn("done", self.variant.build["done"]["credentials"])

    def test_what_the_provider_asks_is_judged_and_what_it_loses_of_ranges_counts(self) -> None:
        region = self.variant.region
        assert region is not None
        edition = region.edition
        edition.versions.all().delete()
        edition.versions.create(version="1.31", ends=date(2020, 1, 1))
        type(edition).objects.filter(pk=edition.pk).update(
            network={"lost_per_range": 7, "one_route_table": True, "longest_name": 5, "name_prefix": "s"}
        )
        edition.quotas.all().delete()
        edition.quotas.create(region=region.name, name="all vCPUs", most=100_000, unit="vcpu")
        self.assertEqual(self.send(self.client, "post", f"{self.path}/runs").status_code, 201)
        self.work()
        build = {"version_to": "1.31", "cluster": "summer", "route_tables": {"amber": "one", "birch": "two"}}
        self.assertEqual(self.send(self.client, "patch", self.path, {"build": build}).status_code, 204)
        self.assertEqual([each["level"] for each in self.found("versions.end")], ["stop"])
        self.assertEqual([each["level"] for each in self.found("names.cluster")], ["stop"])
        # The plan stands in all zones with one type at least in two of them.
        self.assertEqual([each["level"] for each in self.found("addresses.routes")], ["stop"])
        self.assertEqual(self.found("versions.sold"), [])
        self.send(self.client, "patch", self.path, {"build": {"version_to": "1.30"}})
        self.assertEqual(len(self.found("versions.sold")), 1)
        # A quota of the account is part of the problem, and what no nodes of the plan come near finds nothing.
        quota = problem_of(self.variant).limits.quotas[0]
        self.assertEqual((quota.name, quota.unit, quota.takes["tern-4"]), ("all vCPUs", "vCPU", 4))
        self.assertEqual(self.found("supply.quota"), [])

        def fixed() -> int:
            self.send(self.client, "patch", self.path, {"addresses": {"parent": "10.0.0.0/8"}})
            ranges = self.client.get(f"/api{self.path}/addresses").json()["plans"][0]["ranges"]
            return next(int(each["needs"]) for each in ranges if each["role"] == "nodes")

        by_provider = fixed()
        self.send(self.client, "patch", self.path, {"addresses": {"lost": 2}})
        self.assertEqual(by_provider - fixed(), 5)

    def test_house_rules_say_who_accepts_what_is_risky(self) -> None:
        Variant.objects.filter(pk=self.variant.pk).update(survive_zone="landing", control_plane_members=1)
        risky = self.found("targets.plane")[0]
        said = {"code": risky["code"], "text": risky["text"], "why": "a trial"}
        lead = self.signed_in("lead")
        self.assertEqual(self.send(lead, "patch", "/house", {"care_accepted_by": "lead"}).status_code, 200)
        self.assertEqual(self.found("targets.plane")[0]["accepted_by"], "lead")
        refused = self.send(self.client, "post", f"{self.path}/findings/accepted", said)
        self.assertEqual((refused.status_code, self.variant.accepted_findings.count()), (403, 0))
        self.assertEqual(self.send(lead, "post", f"{self.path}/findings/accepted", said).status_code, 204)

    def test_addresses_of_today_are_judged_with_the_rest(self) -> None:
        Variant.objects.filter(pk=self.variant.pk).update(families=["auk"])
        self.send(self.client, "post", f"{self.path}/runs")
        self.work()
        today = [{"role": "nodes", "zone": "amber", "range": "10.0.4.0/24"}]
        stated = {"parent": "10.0.0.0/8", "used": [{"range": "10.0.0.0/16", "name": "depot"}], "today": today}
        self.assertEqual(self.send(self.client, "patch", self.path, {"addresses": stated}).status_code, 204)
        self.assertEqual([each["level"] for each in self.found("addresses.overlap")], ["stop"])
        self.assertTrue(self.found("addresses.ceiling"))
        self.assertEqual(self.send(self.client, "patch", self.path, {"addresses": {"today": []}}).status_code, 204)
        self.assertEqual(self.found("addresses.overlap") + self.found("addresses.ceiling"), [])

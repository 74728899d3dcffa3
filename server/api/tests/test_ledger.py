"""The ledger: what is minimised is what is paid, every division sums to the bill, and what is not sold is refused."""

from __future__ import annotations

import csv
import io
from dataclasses import replace
from datetime import timedelta
from decimal import Decimal
from typing import Any

from api.tests.base import WorkerCase
from catalogue.adapt import price_list_of, store_edition
from rombel.formats import read_problem, read_solution
from rombel.model.demand import Volume
from runs.models import Fit
from studies.adapt import demand_of, fields_of
from studies.models import Variant, Workload

BESIDE: dict[str, Any] = {
    "disk": "plain",
    "disk_gib": 50,
    "fees": {
        "licence": {"per": "vcpu", "count": 1},
        "gateway": {"per": "zone", "count": 1},
        "load balancer": {"per": "study", "count": 2},
        "traffic out": {"per": "study", "count": 1000},
    },
}


class TestLedger(WorkerCase):
    def setUp(self) -> None:
        self.variant = self.make(rows=6)
        # Of few types a fit is made in a moment.
        Variant.objects.filter(pk=self.variant.pk).update(families=["auk"])
        self.client = self.signed_in("planner")
        self.address = f"/api/variants/{self.variant.pk}"

    def change(self, beside: dict[str, Any]) -> Any:
        return self.send(self.client, "patch", f"/variants/{self.variant.pk}", {"beside": beside})

    def fitted(self) -> Fit:
        self.send(self.client, "post", f"/variants/{self.variant.pk}/runs")
        self.work()
        return Fit.objects.latest("pk")

    def bill(self, **query: str) -> Any:
        answer = self.client.get(f"{self.address}/bill", query)
        self.assertEqual(answer.status_code, 200, answer.content)
        return answer.json()

    def paid(self) -> dict[str, Decimal]:
        """Return what each workload pays."""
        return {share["name"]: Decimal(share["amount"]) for share in self.bill(by="workload")["shares"]}

    def disk(self) -> str:
        region = self.variant.region
        assert region is not None
        return str(region.edition.disks.filter(scope="node").values_list("name", flat=True)[0])

    def test_what_nodes_bring_along_is_in_the_price_that_is_minimised_and_every_division_sums_to_the_bill(self) -> None:
        self.assertEqual(self.client.get(f"{self.address}/bill").status_code, 404)
        before = self.fitted()
        self.assertIn("licence", self.bill()["left_out"])
        self.assertEqual(self.change(BESIDE | {"disk": self.disk()}).status_code, 204)
        self.assertFalse(self.client.get(f"{self.address}/bench").json()["fit_is_current"])
        fit = self.fitted()
        problem = read_problem(fit.problem)
        beside = {name for entry in problem.instance_types for offer in entry.offers for name, _ in offer.beside}
        self.assertEqual(beside, {"licence", f"root disk ({self.disk()})"})
        self.assertGreater(fit.cost_per_hour, before.cost_per_hour)
        bill = self.bill()
        bench = self.client.get(f"{self.address}/bench").json()
        whole = Decimal(bench["fit"]["cost_per_month"]) + Decimal(bench["fees_per_month"])
        self.assertAlmostEqual(Decimal(bill["total"]), whole, delta=Decimal("0.02"))
        fees = {charge["kind"]: charge for charge in bill["charges"] if not charge["purchase"]}
        # By hand: the demo's price list asks 0.028 an hour and 0.07 a GiB.
        self.assertEqual(Decimal(fees["load balancer"]["amount"]), 2 * Decimal("0.028") * 730)
        self.assertEqual(Decimal(fees["traffic out"]["amount"]), Decimal(70))
        self.assertEqual(sum(Decimal(charge["amount"]) for charge in bill["charges"]), Decimal(bill["total"]))
        Workload.objects.filter(study=self.variant.study).update(owner="Tills")
        for by in ("kind", "pool", "zone", "workload", "namespace", "owner", "service", "journey"):
            for spread in ("false", "true"):
                told = self.bill(by=by, spread=spread)
                self.assertEqual(sum(Decimal(share["amount"]) for share in told["shares"]), Decimal(bill["total"]), by)
                for share in told["shares"]:
                    parts = [Decimal(part["amount"]) for part in share["parts"]]
                    self.assertIn(sum(parts), (0, Decimal(share["amount"])))
        (tills,) = self.bill(by="owner", spread="true")["shares"]
        self.assertEqual((tills["name"], tills["amount"]), ("Tills", bill["total"]))
        lines = list(csv.DictReader(io.StringIO(self.client.get(f"{self.address}/bill.csv").content.decode())))
        self.assertEqual(sum(Decimal(line["amount"]) for line in lines), Decimal(bill["total"]))
        showback = self.client.get(f"{self.address}/showback.csv", {"by": "namespace"}).content.decode()
        self.assertEqual(
            sum(Decimal(line["amount"]) for line in csv.DictReader(io.StringIO(showback))), Decimal(bill["total"])
        )
        february = self.bill(period="2028-02")
        self.assertEqual((february["hours"], february["words"]), ("696", "February 2028, 696 hours"))
        self.assertEqual(self.send(self.client, "post", f"/studies/{self.variant.study_id}/undo").status_code, 204)
        self.variant.refresh_from_db()
        self.assertEqual(self.variant.beside, {})

    def test_two_who_state_different_things_at_once_both_have_theirs_and_an_entry_goes_by_itself(self) -> None:
        counted = BESIDE | {"disk": self.disk()}
        self.assertEqual(
            self.change(counted | {"held": {"auk-8": 2}, "held_until": {"auk-8": "2027-06-30"}}).status_code, 204
        )
        answers = self.together(
            *(
                lambda part=part, client=client: self.send(
                    client, "patch", f"/variants/{self.variant.pk}", {"beside": part}
                )
                for part, client in (
                    ({"fees": {"licence": None}}, self.client),
                    ({"fees": {"gateway": {"per": "study"}}, "disk_gib": 80}, self.signed_in("lead")),
                    ({"held": {"auk-8": None, "auk-16": 1}}, self.signed_in("planner")),
                )
            )
        )
        self.assertEqual([answer.status_code for answer in answers], [204] * 3)
        self.variant.refresh_from_db()
        others = {name: own for name, own in counted["fees"].items() if name != "licence"}
        fees = others | {"gateway": {"per": "study", "count": 1}}
        # The day goes with what it is the end of.
        self.assertEqual(self.variant.beside, {**counted, "disk_gib": 80, "fees": fees, "held": {"auk-16": 1}})
        # What another variant does not count is taken away where its change is brought to this one.
        copy = self.send(self.client, "post", f"/variants/{self.variant.pk}/copies", {"name": "plain"}).json()["id"]
        plain = {"fees": {name: None for name in fees}, "held": {"auk-16": None}, "disk": "", "disk_gib": 0}
        self.send(self.client, "patch", f"/variants/{copy}", {"beside": plain})
        taken = self.send(
            self.client, "post", f"/variants/{self.variant.pk}/changes", {"source_id": copy, "only": ["beside"]}
        )
        self.assertEqual(taken.status_code, 204)
        self.variant.refresh_from_db()
        self.assertEqual(self.variant.beside, {})

    def test_bad_input_is_refused_with_its_place_and_nothing_is_kept(self) -> None:
        bad: list[tuple[dict[str, Any], str]] = [
            ({"disk": "gold", "disk_gib": 5}, "beside.disk"),
            ({"fees": {"toll": {"per": "node"}}}, "beside.fees.toll"),
            ({"fees": {"licence": {"per": "zone"}}}, "beside.fees.licence.per"),
            ({"fees": {"traffic out": {"per": "node"}}}, "beside.fees.traffic out.per"),
        ]
        for beside, path in bad:
            refused = self.change(beside)
            self.assertEqual(refused.status_code, 422, refused.content)
            self.assertIn(path, [fault["path"] for fault in refused.json()["faults"]])
        self.assertEqual(self.change({"disk_gib": -1}).status_code, 422)
        self.variant.refresh_from_db()
        self.assertEqual(self.variant.beside, {})
        self.fitted()
        for period in ("soon", "2028-13", "0000-01", "2001-01-01", "9999-12-31T23:59-23:59"):
            refused = self.client.get(f"{self.address}/bill", {"period": period})
            self.assertEqual((refused.status_code, refused.json()["faults"][0]["path"]), (422, "period"))
        self.assertEqual(self.client.get(f"{self.address}/bill", {"by": "colour"}).status_code, 422)

    def test_traffic_is_paid_by_the_rows_that_state_it_and_changes_no_fit(self) -> None:
        self.change({"fees": {"traffic out": {"per": "out", "count": 1000}}})
        self.fitted()
        row = self.variant.study.workloads.all()[0]
        key, name = str(row.key), f"{row.namespace}/{row.name}"

        def typed(text: str) -> Any:
            path = f"/studies/{self.variant.study_id}/demand"
            return self.send(self.client, "patch", path, {"cells": {key: {"traffic": text}}, "removed": []})

        refused = typed("out=300")
        self.assertEqual((refused.status_code, refused.json()["faults"][0]["path"]), (422, f"{key}.traffic"))
        self.assertEqual(typed("out=300Gi;inside=50Gi").status_code, 204)
        self.assertTrue(self.client.get(f"{self.address}/bench").json()["fit_is_current"])
        lines = [charge for charge in self.bill()["charges"] if charge["kind"] == "traffic out"]
        # By hand: 0.07 a GiB.
        self.assertEqual([(line["quantity"], line["amount"]) for line in lines], [("300", "21.00"), ("700", "49.00")])
        paid = self.paid()
        self.change({"fees": {"traffic out": {"per": "out", "count": 0}}})
        alone = self.paid()
        # Without what the study states beyond it, the row pays as before, and those that state nothing pay 49 less.
        self.assertEqual(paid[name], alone[name])
        self.assertEqual(sum(paid.values()) - sum(alone.values()), 49)
        self.assertTrue(self.client.get(f"{self.address}/bench").json()["fit_is_current"])

    def test_what_zones_cost_is_minimised_and_billed_once_a_zone(self) -> None:
        self.change({"fees": {"gateway": {"per": "zone", "count": 2}}})
        fit = self.fitted()
        problem = read_problem(fit.problem)
        # Two gateways of the demo's price list in every zone that is used.
        self.assertEqual(
            {zone: own for zone, own in problem.zone_charges.items()},
            dict.fromkeys(problem.zones, (("gateway", Decimal("0.09")),)),
        )
        gateways = [charge for charge in self.bill()["charges"] if charge["kind"] == "gateway"]
        used = {charge["zone"] for charge in self.bill()["charges"] if charge["purchase"]}
        self.assertEqual(({charge["zone"] for charge in gateways}, len(gateways)), (used, len(used)))
        shown = self.client.get(f"{self.address}/bench").json()["fit"]["cost_per_hour"]
        self.assertEqual(Decimal(shown), fit.cost_per_hour)

    def test_volumes_are_billed_where_replicas_stand_and_to_whose_they_are(self) -> None:
        row = Workload.objects.filter(study=self.variant.study).order_by("position")[0]
        value = demand_of(row)
        held = replace(value, pod=replace(value.pod, volumes=(Volume("data", 10 * 2**30),)))
        Workload.objects.filter(pk=row.pk).update(pod=fields_of(held, 0)["pod"])
        # What is bound to its zone could not land in another.
        Variant.objects.filter(pk=self.variant.pk).update(survive_zone="none")
        fit = self.fitted()
        self.assertIn("zonal volumes", self.bill()["left_out"])
        before = {share["name"]: Decimal(share["amount"]) for share in self.bill(by="workload")["shares"]}
        self.assertEqual(self.change({"volume": "zonal volume"}).status_code, 204)
        self.assertTrue(self.client.get(f"{self.address}/bench").json()["fit_is_current"])
        told = self.bill(by="workload")
        placed = sum(b.count * b.replicas.get(value.full_name, 0) for b in read_solution(fit.solution).nodes)
        volumes = [charge for charge in told["charges"] if charge["kind"] == "volume (zonal volume)"]
        self.assertEqual(sum(int(charge["quantity"]) for charge in volumes), 10 * placed)
        after = {share["name"]: Decimal(share["amount"]) for share in told["shares"]}
        # By hand: the demo's price list asks 0.102 a GiB and month.
        self.assertAlmostEqual(
            after[value.full_name] - before[value.full_name], Decimal("1.02") * placed, delta=Decimal("0.02")
        )
        self.assertEqual(sum(after.values()), Decimal(told["total"]))
        self.assertEqual(self.change({"volume": "node disk"}).status_code, 422)

    def test_commitments_follow_from_the_hours_of_use_and_what_is_held_counts(self) -> None:
        self.assertEqual(self.client.get(f"{self.address}/commitments").status_code, 404)
        self.fitted()
        found = self.client.get(f"{self.address}/commitments", {"rate": "8"}).json()
        self.assertEqual((found["source"], found["sources"]), ("plan", ["plan"]))
        self.assertEqual(self.client.get(f"{self.address}/commitments", {"source": "levels"}).status_code, 404)
        nodes = [p for p in found["proposals"] if p["in_nodes"]]
        for proposal in found["proposals"]:
            # All hours alike: every node that runs is worth committing to, and saves what its share of the price leaves.
            saves = Decimal(proposal["on_demand"]) * (1 - Decimal(str(proposal["price_share"])))
            self.assertAlmostEqual(Decimal(proposal["saves"]), saves, delta=Decimal("0.02"))
            self.assertIn(f"breaks even in month {proposal['break_even_month']}", proposal["words"])
        self.assertGreater(Decimal(found["together"]["instance type"]), 0)
        self.send(self.client, "post", f"/variants/{self.variant.pk}/inquiries", {"question": "levels"})
        self.work("ask")
        held = {nodes[0]["target"]: 100}
        self.assertEqual(self.change({"held": held}).status_code, 204)
        self.assertTrue(self.client.get(f"{self.address}/bench").json()["fit_is_current"])
        rest = self.client.get(f"{self.address}/commitments").json()
        # What is held is no part of the question that the levels answered.
        self.assertEqual((rest["held"], rest["source"]), (held, "levels"))
        levels = self.bill()["by_level"]
        self.assertAlmostEqual(sum(level["hours"] for level in levels), 730, 3)
        self.assertNotIn(nodes[0]["target"], [proposal["target"] for proposal in rest["proposals"]])
        refused = self.change({"held": {"no-such": 2}})
        self.assertEqual((refused.status_code, refused.json()["faults"][0]["path"]), (422, "beside.held.no-such"))
        days = {"held": held, "held_until": {"no-such": "2027-06-30"}, "trial_ends": "2027-02-30"}
        faults = {fault["path"]: fault["code"] for fault in self.change(days).json()["faults"]}
        self.assertEqual(faults, {"beside.held_until.no-such": "ledger.held", "beside.trial_ends": "ledger.day"})
        self.assertEqual(self.client.get(f"{self.address}/commitments", {"rate": "-1"}).status_code, 422)

    def test_a_bridge_between_two_plans_sums_to_the_difference(self) -> None:
        self.fitted()
        self.assertEqual(self.client.get(f"{self.address}/bridge").status_code, 404)
        self.send(self.client, "patch", f"/variants/{self.variant.pk}", {"survive_zone": "none"})
        self.change({"fees": {"licence": {"per": "vcpu", "count": 1}, "load balancer": {"per": "study", "count": 1}}})
        self.fitted()
        found = self.client.get(f"{self.address}/bridge").json()
        parts = sum(Decimal(found[name]) for name in ("price", "demand", "promises", "choices"))
        self.assertEqual(parts, Decimal(found["after"]) - Decimal(found["before"]))
        self.assertEqual(found["after"], self.bill()["total"])
        self.assertLessEqual(Decimal(found["promises"]), 0)
        self.assertEqual(self.client.get(f"{self.address}/bridge", {"before": 10**6}).status_code, 404)

    def test_the_same_plan_at_another_price_list_differs_by_price_alone(self) -> None:
        region = self.variant.region
        assert region is not None
        self.fitted()
        listed = price_list_of(region.edition)
        dearer = replace(
            listed,
            dated=listed.dated + timedelta(days=40),
            offers=tuple(replace(each, price_per_hour=2 * each.price_per_hour) for each in listed.offers),
        )
        other = store_edition(dearer, region.edition.provider, source="demo", actor=None)
        found = self.client.get(f"{self.address}/bridge").json()
        self.assertEqual([entry["edition_id"] for entry in found["lists"]], [other.pk])
        # The newer list comes second; nodes cost twice as much, and the control plane what it did.
        self.assertEqual((found["edition_id"], found["before_name"]), (other.pk, self.variant.name))
        nodes = sum(Decimal(line["amount"]) for line in self.bill()["charges"] if line["purchase"])
        self.assertAlmostEqual(Decimal(found["price"]), nodes, delta=Decimal("0.02"))
        self.assertEqual({found[name] for name in ("demand", "promises", "choices")}, {"0.00"})
        self.assertEqual((found["before"], found["unsold"]), (self.bill()["total"], []))
        self.assertEqual(self.client.get(f"{self.address}/bridge", {"edition": 10**6}).status_code, 404)

    def test_a_month_of_charges_is_taken_whole_and_laid_beside_the_plan(self) -> None:
        self.change(BESIDE | {"disk": self.disk()})
        self.fitted()
        text = self.client.get(f"{self.address}/cost-data.csv", {"month": "2028-02"}).content.decode()
        broken = text.replace("2028-02-03T00:00:00Z", "2028-02-03T00:00:00+05:00")
        refused = self.send(
            self.client, "post", f"/variants/{self.variant.pk}/charges", {"month": "2028-02", "text": broken}
        )
        self.assertEqual(refused.status_code, 422)
        self.assertGreater(refused.json()["faults"][0]["line"], 1)
        self.assertEqual(self.client.get(f"{self.address}/charges").json(), [])
        body = {"month": "2028-02", "text": text, "origin": "february.csv"}
        for _ in range(2):
            # Handed in twice it is the same month, not twice the charges.
            taken = self.send(self.client, "post", f"/variants/{self.variant.pk}/charges", body)
            self.assertEqual(taken.status_code, 201, taken.content)
        found = taken.json()
        self.assertEqual((found["hours"], found["planned"]), ("696", self.bill(period="2028-02")["total"]))
        for entry in found["compared"]:
            self.assertLess(abs(Decimal(entry["difference"])), Decimal("0.02"), entry)
        (kept,) = self.client.get(f"{self.address}/charges").json()
        self.assertEqual((kept["month"], kept["origin"], kept["taken_by"]), ("2028-02", "february.csv", "planner"))
        march = self.client.get(f"{self.address}/cost-data.csv", {"month": "2028-03"}).content.decode()
        self.send(self.client, "post", f"/variants/{self.variant.pk}/charges", {"month": "2028-03", "text": march})
        beside = self.client.get(f"{self.address}/charges/2028-03", {"beside": "2028-02"}).json()
        self.assertEqual((beside["beside"], beside["planned"]), ("2028-02", found["billed"]))
        # The same plan in a month with two days more, at the same prices; files round quantities.
        self.assertTrue(all(abs(Decimal(entry["by_price"] or 0)) <= Decimal("0.01") for entry in beside["compared"]))
        self.assertGreater(Decimal(beside["billed"]), Decimal(beside["planned"]))
        self.assertEqual(self.client.get(f"{self.address}/charges/2028-03", {"beside": "2027-01"}).status_code, 404)
        self.send(self.client, "delete", f"/variants/{self.variant.pk}/charges/2028-03")
        viewer = self.signed_in("viewer")
        self.assertEqual(self.send(viewer, "post", f"/variants/{self.variant.pk}/charges", body).status_code, 403)
        self.assertEqual(
            self.send(self.client, "delete", f"/variants/{self.variant.pk}/charges/2028-02").status_code, 204
        )
        self.assertEqual(self.client.get(f"{self.address}/charges/2028-02").status_code, 404)

    def test_per_use_is_answered_by_a_mixture_that_is_no_dearer(self) -> None:
        self.fitted()
        self.send(self.client, "post", f"/variants/{self.variant.pk}/inquiries", {"question": "per_use"})
        self.work("ask")
        found = self.client.get(f"{self.address}/inquiries/per_use").json()["per_use"]
        self.assertLessEqual(Decimal(found["after"]), Decimal(found["before"]))
        self.assertLessEqual(Decimal(found["floor_after"]), Decimal(found["after"]))
        self.assertTrue(found["choices"])
        for choice in found["choices"]:
            self.assertGreaterEqual(choice["cpu_millicores"], 250)
            self.assertLessEqual(choice["moved"], 1000)

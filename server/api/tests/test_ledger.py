"""The ledger: what is minimised is what is paid, every division sums to the bill, and what is not sold is refused."""

from __future__ import annotations

import csv
import io
from decimal import Decimal
from typing import Any

from api.tests.base import WorkerCase
from rombel.formats import read_problem
from runs.models import Fit
from studies.models import Variant, Workload

BESIDE = {
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

"""Addresses: ranges carry the nodes that may run at once, what is typed wrong is refused with its place, and files hold what is shown."""

from __future__ import annotations

import csv
import io
import json
from ipaddress import IPv4Network
from typing import Any

from api.tests.base import WorkerCase
from runs.models import Fit
from studies.models import Variant

PARENT = {"parent": "10.64.0.0/12", "parent6": "fd00:7::/48", "lost": 5}


class TestAddresses(WorkerCase):
    def setUp(self) -> None:
        self.variant = self.make(rows=6)
        # Of few types a fit is made in a moment.
        Variant.objects.filter(pk=self.variant.pk).update(families=["auk"], survive_zone="growing")
        self.client = self.signed_in("planner")
        self.address = f"/api/variants/{self.variant.pk}"

    def fitted(self) -> Fit:
        self.send(self.client, "post", f"/variants/{self.variant.pk}/runs")
        self.work()
        return Fit.objects.latest("pk")

    def change(self, stated: dict[str, Any]) -> Any:
        return self.send(self.client, "patch", f"/variants/{self.variant.pk}", {"addresses": stated})

    def told(self) -> Any:
        answer = self.client.get(f"{self.address}/addresses")
        self.assertEqual(answer.status_code, 200, answer.content)
        return answer.json()

    def test_every_zone_gets_ranges_for_all_nodes_that_may_run_at_once_and_no_fit_is_stale(self) -> None:
        self.assertEqual(self.client.get(f"{self.address}/addresses").status_code, 404)
        self.fitted()
        self.assertEqual(self.told()["plans"], [])
        self.assertEqual(self.change(PARENT | {"public": True}).status_code, 204)
        self.assertTrue(self.client.get(f"{self.address}/bench").json()["fit_is_current"])
        told = self.told()
        planned = sum(zone["planned"] for zone in told["zones"])
        for zone in told["zones"]:
            # Whichever other zone is lost, its nodes are bought in the two that stay.
            lost = max(other["planned"] for other in told["zones"] if other is not zone)
            self.assertEqual(zone["after_loss"], -(-lost // 2))
            self.assertEqual(zone["nodes"], zone["most"] + zone["surge"] + zone["after_loss"])
        four, six = told["plans"]
        self.assertEqual(
            (four["version"], six["version"], four["standard"], six["standard"]), (4, 6, "RFC 1918", "RFC 4193")
        )
        self.assertEqual(len(four["ranges"]), 1 + 3 * len(told["zones"]))
        for plan in (four, six):
            by_zone = {zone["zone"]: zone["nodes"] for zone in told["zones"]}
            for entry in plan["ranges"]:
                if entry["nodes"] is not None:
                    self.assertGreaterEqual(int(entry["nodes"]), by_zone[entry["zone"]])
            self.assertGreaterEqual(sum(int(ceiling["nodes"]) for ceiling in plan["ceilings"]), planned)
        rows = list(csv.DictReader(io.StringIO(self.client.get(f"{self.address}/addresses.csv").content.decode())))
        self.assertEqual([row["range"] for row in rows], [e["range"] for plan in (four, six) for e in plan["ranges"]])
        kept = json.loads(self.client.get(f"{self.address}/addresses.json").content)
        self.assertEqual([row["kept"] for row in kept["ranges"]], [e["kept"] for p in (four, six) for e in p["ranges"]])
        self.assertEqual(self.send(self.client, "post", f"/studies/{self.variant.study_id}/undo").status_code, 204)
        self.assertEqual(self.told()["plans"], [])

    def test_what_is_typed_wrong_is_refused_with_its_place_and_nothing_is_kept(self) -> None:
        bad: list[tuple[dict[str, Any], str]] = [
            ({"parent": "10.0.0.1/8"}, "addresses.parent"),
            ({"parent": "10.0.0.0/33"}, "addresses.parent"),
            ({"parent": "fd00::/48"}, "addresses.parent"),
            ({"parent6": "10.0.0.0/8"}, "addresses.parent6"),
            ({"parent": "10.0.0.0/16", "used": [{"range": "10.0.0.0/8"}]}, "addresses.parent"),
            ({"used": [{"range": "10.0.0.0/8"}, {"range": "office"}]}, "addresses.used.1"),
            ({"lost": -1}, "addresses.lost"),
            ({"today": [{"role": "nodes", "zone": "nowhere", "range": "10.0.0.0/24"}]}, "addresses.today.0.zone"),
            ({"today": [{"role": "services", "zone": "amber", "range": "10.0.0.0/24"}]}, "addresses.today.0.zone"),
        ]
        for stated, path in bad:
            refused = self.change(stated)
            self.assertEqual(refused.status_code, 422, refused.content)
            self.assertIn(path, [fault["path"] for fault in refused.json()["faults"]])
        self.assertEqual(self.change({"pods": "clouds"}).status_code, 422)
        used = {"text": "range,name\n10.0.0.0/16,depot\n10.0.0.1/16,wrong"}
        path = f"/variants/{self.variant.pk}/addresses/used"
        refused = self.send(self.client, "post", path, used)
        self.assertEqual((refused.status_code, refused.json()["faults"][0]["line"]), (422, 3))
        self.variant.refresh_from_db()
        self.assertEqual(self.variant.addresses, {})
        self.assertEqual(self.send(self.signed_in("viewer"), "post", path, {"text": ""}).status_code, 403)
        self.assertEqual(self.send(self.client, "post", path, {"text": "10.0.0.0/16 depot"}).status_code, 204)
        self.variant.refresh_from_db()
        self.assertEqual(self.variant.addresses, {"used": [{"range": "10.0.0.0/16", "name": "depot"}]})

    def test_ranges_of_today_are_checked_and_a_full_parent_says_what_would_do(self) -> None:
        self.fitted()
        zones = [zone["zone"] for zone in self.told()["zones"]]
        today = [
            *({"role": "nodes", "zone": zone, "range": f"10.64.{n}.0/24"} for n, zone in enumerate(zones)),
            *({"role": "pods", "zone": zone, "range": f"10.65.{8 * n}.0/24"} for n, zone in enumerate(zones)),
            {"role": "services", "range": "10.66.0.0/20"},
        ]
        self.assertEqual(
            self.change(PARENT | {"today": today, "used": [{"range": "10.65.0.0/22", "name": "old"}]}).status_code, 204
        )
        found = self.told()["today"]
        # One block of /24 carries one node; the first zone's range lies in one that is in use.
        self.assertEqual({(c["nodes"], c["decided_by"].split()[1]) for c in found["ceilings"]}, {("1", "pods")})
        self.assertEqual([fault["code"] for fault in found["faults"]], ["addresses.overlap"])
        self.assertEqual({change["name"].split()[1] for change in found["changes"]}, {"pods"})
        for change in found["changes"]:
            self.assertTrue(IPv4Network(change["range"]).subnet_of(IPv4Network(str(PARENT["parent"]))))
        # What is not said stays, so that two who state different things lose nothing.
        self.assertEqual(self.change({"parent": "10.0.0.0/24", "parent6": ""}).status_code, 204)
        self.assertEqual(
            len(self.client.get(f"{self.address}/bench").json()["variant"]["addresses"]["today"]), len(today)
        )
        (plan,) = self.told()["plans"]
        self.assertTrue(plan["missing"])
        self.assertIn("holds all of it", plan["faults"][0]["fix"])

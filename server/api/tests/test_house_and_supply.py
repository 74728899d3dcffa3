"""House rules bind every study; leaving one needs an open rule, a reason and a name. Money and supply beside it."""

from __future__ import annotations

from dataclasses import replace
from datetime import date
from decimal import Decimal
from typing import Any

from api.tests.base import ApiCase
from catalogue.adapt import store_edition
from catalogue.models import Provider, RateSheet, Region
from demo.supply import demo_price_list
from house.models import RuleSet
from runs.inputs import inputs_of
from studies.adapt import problem_of
from studies.models import Study, Variant


class TestHouse(ApiCase):
    def setUp(self) -> None:
        self.variant = self.make(rows=6)
        self.planner, self.lead = self.signed_in("planner"), self.signed_in("lead")

    def change(self, **fields: Any) -> list[str]:
        """Change the variant and return the codes of what was refused."""
        answer = self.send(self.planner, "patch", f"/variants/{self.variant.pk}", fields)
        return [] if answer.status_code == 204 else [fault["code"] for fault in answer.json()["faults"]]

    def bench(self) -> Any:
        return self.planner.get(f"/api/variants/{self.variant.pk}/bench").json()

    def test_only_a_lead_states_rules_and_a_faulty_rule_changes_none(self) -> None:
        rules = {"most_pools": 4, "open_rules": ["most_pools"]}
        self.assertEqual(self.send(self.planner, "patch", "/house", rules).status_code, 403)
        for bad in ({"open_rules": ["colour"]}, {"sign_off_above": "-3"}, {"required_labels": ["a b"]}):
            self.assertEqual(self.send(self.lead, "patch", "/house", bad).status_code, 422)
        none = {"cpu": "0", "memory": "0"}
        reservation = {"kubelet": none, "system": none, "per_pod": none, "eviction_memory": "500Mi"}
        for change, code in (
            ({"kubelet": {"cpu": "0", "memory": "1Ti"}}, "node.reservation"),
            ({"system": {"cpu": "1K", "memory": "-1"}}, "quantity.grammar"),
            ({"eviction_percent": "101"}, "house.percent"),
        ):
            answer = self.send(self.lead, "patch", "/house", {"reservation": {**reservation, **change}}).json()
            self.assertEqual((answer["faults"][0]["code"], RuleSet.objects.count()), (code, 0))
        self.assertEqual(self.send(self.lead, "patch", "/house", rules).json()["most_pools"], 4)

    def test_a_new_study_starts_inside_the_rules(self) -> None:
        RuleSet.objects.create(survive_zone="standing", most_pools=4, fewest_nodes_per_pool=3, families=["tern"])
        made = self.send(self.planner, "post", "/studies", {"name": "Winter"}).json()
        variant = Variant.objects.get(study_id=made["id"])
        self.assertEqual((variant.survive_zone, variant.most_pools, variant.families), ("standing", 4, ["tern"]))
        self.assertEqual(self.planner.get(f"/api/variants/{variant.pk}/bench").json()["deviations"], [])

    def test_an_open_rule_is_left_with_a_reason_and_a_closed_one_never(self) -> None:
        RuleSet.objects.create(most_pools=5, most_pods_per_node=60, open_rules=["most_pools"])
        self.assertEqual(self.change(most_pods_per_node=50, most_pools=4), [])
        self.assertEqual(self.change(most_pools=9), ["house.why"])
        self.assertEqual(self.change(most_pools=9, why="two architectures"), [])
        self.assertEqual(self.change(most_pods_per_node=61, why="because"), ["house.closed"])
        kept = self.bench()["deviations"]
        self.assertEqual(
            [(e["rule"], e["why"], e["who"]) for e in kept], [("most_pools", "two architectures", "planner")]
        )
        self.assertEqual(self.change(most_pools=8), ["house.why"])
        self.assertEqual((self.change(most_pools=5), self.bench()["deviations"]), ([], []))

    def test_required_labels_and_amounts_to_sign_are_found(self) -> None:
        RuleSet.objects.create(required_labels=["team", "tier"], sign_off_above=Decimal(1))
        found = [(entry["level"], entry["place"]) for entry in self.bench()["findings"]]
        self.assertIn(("care", "demand"), found)

    def test_the_reservation_rule_is_part_of_what_a_fit_is_made_from(self) -> None:
        before = inputs_of(self.variant)
        none = {"cpu": "0", "memory": "0"}
        slices = [{"width": "1", "percent": "6"}, {"width": None, "percent": "0,25"}]
        reservation: dict[str, Any] = {"kubelet": {"cpu": "500m", "memory": "1 GiB"}, "system": none, "per_pod": none}
        reservation |= {"eviction_memory": "500Mi", "cpu_slices": slices}
        stated = self.send(self.lead, "patch", "/house", {"reservation": reservation}).json()["reservation"]
        self.assertEqual(
            (stated["kubelet"], stated["cpu_slices"][1]),
            ({"cpu": "500m", "memory": "1Gi"}, {"width": None, "percent": "0.25"}),
        )
        self.assertNotEqual(inputs_of(self.variant), before)
        detail = self.planner.get(f"/api/variants/{self.variant.pk}/types/tern-4").json()
        self.assertEqual(detail["steps"][0]["cpu_millicores"], 500)
        # Four GiB are more than the smallest node has: it is shown as unusable, and the others are fitted.
        greedy = {**reservation, "kubelet": {"cpu": "500m", "memory": "4Gi"}}
        self.assertEqual(self.send(self.lead, "patch", "/house", {"reservation": greedy}).status_code, 200)
        small = self.planner.get(f"/api/variants/{self.variant.pk}/types/wren-1").json()
        self.assertLess(small["usable"]["memory_bytes"], 0)
        self.assertNotIn("wren-1", [entry.name for entry in problem_of(self.variant).instance_types])


class TestSupply(ApiCase):
    def setUp(self) -> None:
        self.variant = self.make(rows=6)
        self.client = self.signed_in("planner")
        self.path = f"/variants/{self.variant.pk}"

    def get(self, path: str) -> Any:
        return self.client.get(f"/api{path}").json()

    def patch(self, **fields: Any) -> Any:
        return self.send(self.client, "patch", self.path, fields)

    def test_the_matrix_holds_every_offer_and_a_missing_type_its_nearest(self) -> None:
        listed = demo_price_list("Skerry Compute")
        matrix = self.get(f"{self.path}/matrix")
        count = sum(len(entry["offers"]) for entry in matrix["types"])
        self.assertEqual(count, sum(offer.region == "north-sound" for offer in listed.offers))
        detail = self.get(f"{self.path}/types/fulmar-8")
        self.assertEqual([gap["zone"] for gap in detail["missing"]], ["cedar"])
        near = detail["missing"][0]["nearest"]
        self.assertEqual(len(near), 3)
        cedar = {e["name"] for e in matrix["types"] if any(o[0] == 2 and o[1] == 0 for o in e["offers"])}
        self.assertLessEqual({entry["name"] for entry in near}, cedar)
        taken = [step["cpu_millicores"] for step in detail["steps"]]
        self.assertEqual(detail["capacity"]["cpu_millicores"] - sum(taken), detail["usable"]["cpu_millicores"])

    def test_regions_are_compared_by_floors_and_one_zone_keeps_no_promise(self) -> None:
        found = {entry["region"]["name"]: entry for entry in self.get(f"{self.path}/regions")}
        self.assertEqual(len(found), 4)
        self.assertIsNone(found["far-isle"]["floor_per_month"])
        self.assertIn("cannot be survived", found["far-isle"]["reasons"][0])
        here = found["north-sound"]
        self.assertLess(Decimal(here["without_promise_per_month"]), Decimal(here["floor_per_month"]))

    def test_a_study_keeps_its_list_until_told_and_undo_gives_it_back(self) -> None:
        old = self.variant.region_id
        newer = replace(demo_price_list("Skerry Compute", date(2026, 11, 1)))
        store_edition(newer, Provider.objects.get(name="Skerry Compute"), source="file", actor=None)
        news = self.get(f"{self.path}/bench")["news"]
        self.assertEqual((news["dated"], self.variant.region_id), ("2026-11-01", old))
        self.assertEqual(self.patch(region_id=news["region_id"]).status_code, 204)
        after = self.get(f"{self.path}/bench")
        self.assertEqual((after["news"], after["region"]["dated"]), (None, "2026-11-01"))
        self.assertEqual(after["variant"]["zones"], ["amber", "birch", "cedar"])
        self.send(self.client, "post", f"/studies/{self.variant.study_id}/undo")
        self.assertEqual(self.get(f"{self.path}/bench")["variant"]["region_id"], old)

    def test_prices_come_in_the_studys_currency_by_its_own_rates(self) -> None:
        study, yard = Study.objects.get(), Region.objects.get(name="yard")
        self.patch(region_id=yard.pk)
        self.assertEqual(self.get(f"{self.path}/bench")["faults"][0]["code"], "money.rate")
        study.rates = RateSheet.objects.first()
        study.save()
        pounds = yard.zones.first().offers.get(instance_type__name="gannet-16").price_per_hour  # type: ignore[union-attr]
        matrix = self.get(f"{self.path}/matrix")
        shown = next(e for e in matrix["types"] if e["name"] == "gannet-16")["offers"][0][2]
        self.assertEqual((matrix["currency"], Decimal(shown)), ("EUR", pounds * Decimal("1.1620")))
        note = [entry["text"] for entry in self.get(f"{self.path}/bench")["findings"] if "rates" in entry["text"]]
        self.assertEqual(len(note), 1)
        newest = RateSheet.objects.last()
        answer = self.send(self.client, "put", f"/studies/{study.pk}/rates", {"sheet_id": newest.pk})  # type: ignore[union-attr]
        self.assertEqual((answer.status_code, self.get(f"{self.path}/bench")["rate"]["worth"]), (204, "1.1485"))
        self.send(self.client, "post", f"/studies/{study.pk}/undo")
        self.assertEqual(self.get(f"{self.path}/bench")["rate"]["worth"], "1.1620")
        self.assertEqual(self.send(self.client, "put", f"/studies/{study.pk}/rates", {"sheet_id": 0}).status_code, 422)

    def test_bad_choices_are_refused_with_their_field(self) -> None:
        for fields, path in (
            ({"purchases": []}, "purchases"),
            ({"tier": "golden"}, "tier"),
            ({"families": ["moa"]}, "families"),
            ({"budget_per_month": "a lot"}, "budget_per_month"),
            ({"budget_per_month": "0"}, "budget_per_month"),
            ({"family_rules": {"moa": {"most_nodes": 3}}}, "family_rules.moa"),
            ({"family_rules": {"auk": {"taint": "batch"}}}, "family_rules.auk"),
        ):
            answer = self.patch(**fields)
            self.assertEqual((answer.status_code, answer.json()["faults"][0]["path"]), (422, path))
        rules = {"auk": {"taint": "use=batch:NoSchedule", "most_nodes": None, "most_in_zone": 2}, "tern": {"taint": ""}}
        self.assertEqual(self.patch(family_rules=rules).status_code, 204)
        kept = self.get(f"{self.path}/bench")["variant"]["family_rules"]
        self.assertEqual((set(kept), kept["auk"]["most_in_zone"]), ({"auk"}, 2))
        self.assertEqual(self.patch(tier="guarded across zones").status_code, 204)
        self.assertEqual(self.get(f"{self.path}/bench")["variant"]["control_plane_members"], 5)
        self.assertEqual(self.patch(control_plane_members=3).status_code, 204)
        self.assertEqual(self.get(f"{self.path}/bench")["variant"]["tier"], "")

    def test_rates_are_stated_once_a_day_and_above_zero(self) -> None:
        good = {"dated": "2026-12-01", "worth": {"GBP": "1.15"}}
        self.assertEqual(self.send(self.client, "post", "/catalogue/rates", good).status_code, 201)
        for bad in (
            good,
            {"dated": "2026-12-02", "worth": {"GBP": "0"}},
            {"dated": "2026-12-02", "worth": {"EUR": "1"}},
        ):
            self.assertEqual(self.send(self.client, "post", "/catalogue/rates", bad).status_code, 422)

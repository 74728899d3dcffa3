"""From a study's values to the fit problem."""

import unittest
from collections import Counter
from dataclasses import replace
from decimal import Decimal

from rombel.errors import InputRefused
from rombel.fit import fit
from rombel.formats import read_problem, write_problem
from rombel.inquiry.rules import rules_of
from rombel.model.compilation import compile_problem
from rombel.model.demand import Demand, PodDetail, WorkloadKind
from rombel.model.fit_problem import Offer, Purchase, Survival
from rombel.model.fit_solution import FitStatus
from rombel.model.node import ReservationRule
from rombel.model.pod import Amounts
from rombel.model.price_list import ListedQuota
from rombel.model.study import ARCHITECTURE_LABEL, HEADROOM, ZONE_LABEL, FamilyRule, SoldType, Supply, Targets
from rombel.model.taints import read_taint
from rombel.plan import plan

OFFER = Offer("amber", Purchase.ON_DEMAND, Decimal("0.1"))
BIRCH = replace(OFFER, zone="birch")
TERN = SoldType("tern-2", Amounts(2000, 4 * 2**30), 110, "amd64", (OFFER, BIRCH))
PETREL = SoldType("petrel-2", Amounts(2000, 4 * 2**30), 110, "arm64", (OFFER,))
SUPPLY = Supply("EUR", ("amber",), (TERN, PETREL), ReservationRule(Amounts(), Amounts(), 0))
API = Demand("shop", "api", WorkloadKind.REPLICATED, 2, Amounts(100, 100))


class TestCompile(unittest.TestCase):
    def test_a_daemon_takes_room_once_on_every_node_its_labels_allow(self) -> None:
        agent = Demand("ops", "agent", WorkloadKind.DAEMON, 0, Amounts(50, 60))
        arm = replace(agent, name="arm", node_labels={ARCHITECTURE_LABEL: "arm64"})
        problem = compile_problem(SUPPLY, Targets(), [API, agent, arm])
        usable = {entry.name: problem.usable(entry) for entry in problem.instance_types}
        self.assertEqual(usable["tern-2"], (1950, 4 * 2**30 - 60, 109))
        self.assertEqual(usable["petrel-2"], (1900, 4 * 2**30 - 120, 108))
        self.assertEqual([entry.name for entry in problem.workloads], ["shop/api"])

    def test_room_for_the_largest_is_kept_in_every_zone_whatever_the_order_and_names(self) -> None:
        """Common practice, no source: after the worst loss each zone that is left still takes that many replicas more."""
        supply = Supply("EUR", ("amber", "birch", "cedar"), (replace(TERN, offers=tuple(
            replace(OFFER, zone=zone) for zone in ("amber", "birch", "cedar"))),), SUPPLY.reservation)  # fmt: skip
        big = replace(API, name="search", replicas=3, request=Amounts(900, 2**30))
        rows, targets = [replace(API, replicas=6, request=Amounts(300, 2**29)), big], Targets(Survival.LANDING)
        problem, bare = plan(supply, targets, rows)
        _, kept = plan(supply, replace(targets, headroom_replicas=2), rows)
        self.assertGreater(kept.cost_per_hour, bare.cost_per_hour)
        cpu = {entry.name: entry.request[0] for entry in problem.workloads}
        free = Counter({(zone, lost): 0 for zone in supply.zones for lost in supply.zones if lost != zone})
        for zone, lost in free:
            landed: dict[int, int] = {}
            for entry in (kept.landing or {}).get(lost, ()):
                landed[entry.node] = sum(cpu[name] * n for name, n in entry.replicas.items())
            number = 0
            for batch in kept.nodes:
                held = sum(cpu[name] * n for name, n in batch.replicas.items() if name != HEADROOM)
                for _ in range(batch.count):
                    free[zone, lost] += (batch.zone == zone) * ((2000 - held - landed.get(number, 0)) // 900)
                    number += 1
        self.assertGreaterEqual(min(free.values()), 2)
        other = [replace(row, name=f"z-{row.name}") for row in reversed(rows)]
        stated = compile_problem(supply, replace(targets, headroom_replicas=2), other)
        self.assertEqual(fit(stated).cost_per_hour, kept.cost_per_hour)
        rule = next(rule for rule in rules_of(stated) if rule.key == "headroom_replicas")
        self.assertEqual(rule.dropped(stated), compile_problem(supply, targets, other))

    def test_labels_become_eligibility(self) -> None:
        labels = {ARCHITECTURE_LABEL: "amd64", ZONE_LABEL: "amber"}
        problem = compile_problem(SUPPLY, Targets(), [replace(API, node_labels=labels)])
        self.assertEqual(problem.workloads[0].instance_types, frozenset({"tern-2"}))
        self.assertEqual(problem.workloads[0].zones, frozenset({"amber"}))

    def test_only_chosen_zones_are_for_sale_and_pods_are_capped(self) -> None:
        problem = compile_problem(SUPPLY, Targets(Survival.NONE, most_pods_per_node=30), [API])
        self.assertEqual({o.zone for t in problem.instance_types for o in t.offers}, {"amber"})
        self.assertEqual(problem.instance_types[0].allocatable[2], 30)

    def test_what_cannot_be_planned_is_refused_with_every_fault(self) -> None:
        with self.assertRaises(InputRefused):
            compile_problem(replace(SUPPLY, zones=()), Targets(), [API])
        with self.assertRaises(InputRefused):
            compile_problem(replace(SUPPLY, zones=("cedar",)), Targets(), [API])
        with self.assertRaises(InputRefused) as caught:
            compile_problem(SUPPLY, Targets(), [API, API, replace(API, name="", request=Amounts())])
        self.assertEqual([f.code for f in caught.exception.faults], ["demand.twice", "demand.name", "demand.request"])

    def test_a_taint_keeps_off_what_does_not_tolerate_it_as_the_api_matches_them(self) -> None:
        """Kubernetes API reference, Toleration: equal key, equal value or no value, equal effect or none; no key tolerates all."""
        taint = read_taint("use=batch:NoSchedule")
        tolerated = {
            "use=batch:NoSchedule": True,
            "use=batch": True,
            "use": True,
            "use:NoSchedule": True,
            "*": True,
            "use=other": False,
            "use=batch:NoExecute": False,
            "team": False,
            "*:NoExecute": False,
        }
        for text, may in tolerated.items():
            self.assertEqual(taint.tolerated_by([text]), may, text)
        self.assertFalse(taint.tolerated_by([]))
        self.assertTrue(read_taint("use:PreferNoSchedule").tolerated_by([]))
        for wrong in ("use", "use=batch", ":NoSchedule", "use=a b:NoSchedule", "use=batch:Never"):
            with self.assertRaises(InputRefused):
                read_taint(wrong)

    def test_rules_of_a_family_reach_the_problem(self) -> None:
        types = tuple(replace(entry, family=entry.name.split("-")[0]) for entry in (TERN, PETREL))
        supply = Supply("EUR", ("amber", "birch"), types)
        rows = [
            API,
            replace(API, name="job", pod=PodDetail(tolerations=("use",))),
        ]
        rules = {"petrel": FamilyRule(read_taint("use=batch:NoSchedule"), 3, 1)}
        problem = compile_problem(supply, Targets(families=rules), rows)
        self.assertEqual([w.instance_types for w in problem.workloads], [frozenset({"tern-2"}), None])
        self.assertEqual(
            [(q.name, q.most) for q in problem.limits.quotas],
            [("petrel in the region", 3), ("petrel in amber", 1), ("petrel in birch", 1)],
        )
        self.assertEqual(read_problem(write_problem(problem)), problem)

    def test_a_quota_of_vcpus_counts_all_that_a_node_has_and_is_kept_or_told(self) -> None:
        listed = ListedQuota("sound", "tern vCPUs", 4, family="tern", zone="amber")
        tern = replace(TERN, family="tern")
        supply = replace(SUPPLY, zones=("amber", "birch"), types=(tern, PETREL), quotas=(listed,))
        problem = compile_problem(supply, Targets(), [replace(API, replicas=3, request=Amounts(1500, 100))])
        (quota,) = problem.limits.quotas
        self.assertEqual((quota.unit, dict(quota.takes), quota.zones), ("vCPU", {"tern-2": 2}, frozenset({"amber"})))
        self.assertEqual(read_problem(write_problem(problem)), problem)
        here = replace(
            problem,
            workloads=(
                replace(problem.workloads[0], zones=frozenset({"amber"}), instance_types=frozenset({"tern-2"})),
            ),
        )
        self.assertEqual(fit(here).status, FitStatus.INFEASIBLE)
        raised = replace(here, limits=replace(here.limits, quotas=(replace(quota, most=6),)))
        self.assertEqual(fit(raised).cost_per_hour, Decimal("0.3"))

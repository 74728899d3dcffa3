"""Every rule fires where it should and just does not where it should not; no rule judges what it does not know."""

import unittest
from collections.abc import Iterator
from dataclasses import replace
from datetime import date
from decimal import Decimal
from ipaddress import ip_network
from pathlib import Path

from rombel import preflight
from rombel.addressing import Addresses, RegionNeed, Role, TodayRange, Used, ZoneNeed, address_plan, check_today
from rombel.errors import InputRefused
from rombel.formats.demand_columns import read_demand_cells
from rombel.model.build import Build, Match, Needed, read_version
from rombel.model.demand import Budget, Container, Demand, Partitioned, PodDetail, Volume, WorkloadKind
from rombel.model.fit_problem import FitProblem, InstanceType, Limits, Offer, Purchase, Quota, Survival, Workload
from rombel.model.fit_solution import FitSolution, FitStatus, NodeBatch
from rombel.model.house_rules import Deviation
from rombel.model.pod import Amounts
from rombel.model.study import ARCHITECTURE_LABEL
from rombel.model.taints import Taint
from rombel.preflight import RULES, Finding, Grade, Money, Plane, Situation, findings, gravest, prerequisites

GIB = 2**30
ROW = Demand("shop", "api", WorkloadKind.REPLICATED, 4, Amounts(500, GIB))
MONEY = Money("EUR", Decimal(1000), Decimal(900), Decimal(1000), Decimal(1000))
NEED = RegionNeed((ZoneNeed("amber", 9, 9),), 110)
STATED = Addresses((ip_network("10.0.0.0/16"),), (Used(ip_network("10.0.64.0/20"), "depot"),), services=100)
PLAN = tuple(address_plan(STATED, NEED))


def rows(**changes: object) -> Situation:
    """Return one workload alone with some fields of its own."""
    return Situation(rows=(replace(ROW, **changes),))  # type: ignore[arg-type]


def pods(**changes: object) -> Situation:
    """Return one workload alone with a detail of its pods."""
    return rows(pod=PodDetail(**changes))  # type: ignore[arg-type]


def planned(*batches: tuple[str, str, int, dict[str, int]], quota: int | None = 9, **others: object) -> Situation:
    """Return nodes of type, zone, number and replicas on each, at a quota by offer; t is sold in two zones, u in one."""
    both = (
        Offer("amber", Purchase.ON_DEMAND, Decimal(1), quota),
        Offer("birch", Purchase.ON_DEMAND, Decimal(1), quota),
    )
    types = (InstanceType("t", (4, 8), both), InstanceType("u", (4, 8), both[:1]))
    names = {name for *_, replicas in batches for name in replicas}
    problem = FitProblem(
        "EUR", ("amber", "birch"), ("cpu", "memory"), (1, 1), types, tuple(Workload(n, 4, (1, 1)) for n in names)
    )
    nodes = tuple(NodeBatch(name, Purchase.ON_DEMAND, zone, count, own) for name, zone, count, own in batches)
    solution = FitSolution(FitStatus.FEASIBLE, "EUR", Decimal(1), Decimal(1), nodes)
    return replace(Situation(problem=problem, solution=solution, surge=1), **others)  # type: ignore[arg-type]


def addressed(*today: tuple[Role, str], **stated: object) -> Situation:
    """Return ranges of today in the zone amber, checked."""
    own = replace(STATED, **stated)  # type: ignore[arg-type]
    ranges = [TodayRange(role, "" if role is Role.SERVICES else "amber", ip_network(text)) for role, text in today]
    return Situation(plans=tuple(address_plan(own, NEED)), today=check_today(own, NEED, ranges), gateways=own.gateways)


ENOUGH = ((Role.NODES, "10.0.0.0/27"), (Role.PODS, "10.0.16.0/20"), (Role.SERVICES, "10.0.1.0/25"))
QUOTA = Quota("cores", 16, "cpu")
VCPU = Quota("family", 16, takes={"t": 4}, counted="vCPU")


def limited(most: int, quota: Quota = QUOTA) -> Situation:
    """Return four nodes of four cores under a quota of all cores."""
    at = planned(("t", "amber", 4, {"n/a": 1}))
    assert at.problem is not None
    return replace(at, problem=replace(at.problem, limits=Limits(quotas=(replace(quota, most=most),))))


def architectures(running_on: str, house: str = "") -> Situation:
    """Return a workload without an architecture on nodes of two."""
    at = planned(("t", "amber", 1, {"shop/api": 1}), ("u", "amber", 1, {"shop/api": 1}))
    return replace(
        at, rows=(ROW,), architectures={"t": "amd64", "u": "arm64"}, house_architecture=house,
        running_on={"shop/api": frozenset({running_on})} if running_on else {},
    )  # fmt: skip


def interruptible(share: float) -> Situation:
    """Return half of the replicas on interruptible nodes where such a share may be."""
    at = planned(("t", "amber", 1, {"n/a": 2}), ("t", "birch", 1, {"n/a": 2}))
    assert at.problem is not None and at.solution is not None
    first, second = at.solution.nodes
    nodes = (replace(first, purchase=Purchase.INTERRUPTIBLE), second)
    workloads = tuple(replace(w, interruptible_share=share) for w in at.problem.workloads)
    return replace(at, problem=replace(at.problem, workloads=workloads), solution=replace(at.solution, nodes=nodes))


def built(**stated: object) -> Situation:
    """Return a build with versions as texts, asked on the first of May 2028."""
    read = {name: read_version(str(stated.pop(name))) for name in ("now", "to", "nodes") if name in stated}
    return Situation(build=Build(today=date(2028, 5, 1), **read, **stated))  # type: ignore[arg-type]


def needing(*zones: str, nodes: tuple[str, ...] = ("amber",)) -> Situation:
    """Return nodes that fetch images which can be had in some zones."""
    batches = [("t", zone, 1, {"n/a": 1}) for zone in nodes]
    return planned(*batches, build=Build(needed=(Needed("images", frozenset(zones)),)))


def routed(*tables: str, asked: bool = True) -> Situation:
    """Return a pool in two zones whose ranges hang on route tables."""
    build = Build(route_tables=dict(zip(("amber", "birch"), tables, strict=True)), one_route_table=asked)
    return planned(("t", "amber", 1, {"n/a": 1}), ("t", "birch", 1, {"n/a": 1}), build=build)


LONG = ".".join(["d" * 63] * 3)
"""191 characters: with a dot, a name of 61 makes the 253 that RFC 1035 allows."""


def deviating(*, allowed: bool) -> Situation:
    """Return one deviation from a house rule."""
    return Situation(deviations=(Deviation("most_pools", "at most 5", "9", allowed),))


CASES: list[tuple[str, Grade, Situation, Situation]] = [
    ("addresses.overlap", Grade.STOP, addressed(*ENOUGH[1:], (Role.NODES, "10.0.64.0/27")), addressed(*ENOUGH)),
    ("addresses.outside", Grade.STOP, addressed(*ENOUGH[1:], (Role.NODES, "10.1.0.0/27")), addressed(*ENOUGH)),
    ("addresses.full", Grade.STOP, addressed(*ENOUGH, parents=(ip_network("10.0.0.0/20"),), used=()), addressed(*ENOUGH)),
    ("addresses.ceiling", Grade.CARE, addressed(ENOUGH[0], (Role.PODS, "10.0.16.0/21"), ENOUGH[2]), addressed(*ENOUGH)),
    ("addresses.public", Grade.CARE, Situation(plans=tuple(address_plan(replace(STATED, parents=(ip_network("172.32.0.0/12"),)), NEED))),
     Situation(plans=tuple(address_plan(replace(STATED, parents=(ip_network("172.16.0.0/12"),)), NEED)))),
    ("addresses.gateway", Grade.CARE, Situation(plans=PLAN, gateways=0), Situation(plans=PLAN, gateways=1)),
    ("house.deviation", Grade.STOP, deviating(allowed=False), Situation()),
    ("house.deviation", Grade.CARE, deviating(allowed=True), Situation()),
    ("house.labels", Grade.CARE, Situation(unlabelled={"shop/api": ("team",)}), Situation()),
    ("demand.facts", Grade.CARE, rows(request=Amounts(500, 2**19)), rows(request=Amounts(500, 2**28))),
    ("demand.facts", Grade.CARE, rows(partitioned=Partitioned(8, 1)), rows(partitioned=Partitioned(8, 2))),
    ("demand.budget", Grade.CARE, rows(replicas=3, budget=Budget(min_available="67%")), rows(replicas=3, budget=Budget(min_available="66%"))),
    ("demand.zonal_volume", Grade.CARE, replace(pods(volumes=(Volume("d", GIB),)), survive=Survival.LANDING),
     replace(pods(volumes=(Volume("d", GIB, False),)), survive=Survival.LANDING)),
    ("demand.limit", Grade.STOP, pods(containers=(Container("c", "regular", Amounts(500, GIB), Amounts(499, 0)),)),
     pods(containers=(Container("c", "regular", Amounts(500, GIB), Amounts(500, 0)),))),
    ("demand.nothing", Grade.CARE, rows(request=Amounts()), rows(request=Amounts(1, 0))),
    ("names.form", Grade.STOP, rows(name="Api"), rows(name="api.v2")),
    ("names.form", Grade.STOP, rows(namespace="shop.old"), rows(namespace="shop-old")),
    ("names.form", Grade.STOP, rows(namespace="s" * 64), rows(namespace="s" * 63)),
    ("supply.architecture", Grade.CARE, architectures("amd64"), architectures("amd64", "amd64")),
    ("supply.architecture", Grade.NOTE, architectures(""), architectures("", "amd64")),
    ("supply.no_architecture", Grade.STOP, replace(rows(node_labels={ARCHITECTURE_LABEL: "s390x"}), architectures={"t": "amd64"}),
     replace(rows(node_labels={ARCHITECTURE_LABEL: "amd64"}), architectures={"t": "amd64"})),
    ("supply.taint", Grade.CARE, replace(rows(), taints={"skua": Taint("gpu", "", "NoSchedule")}),
     replace(pods(tolerations=("gpu",)), taints={"skua": Taint("gpu", "", "NoSchedule")})),
    ("supply.quota", Grade.STOP, planned(("t", "amber", 4, {"n/a": 1}), quota=3), planned(("t", "amber", 4, {"n/a": 1}), quota=5)),
    ("supply.quota", Grade.CARE, planned(("t", "amber", 4, {"n/a": 1}), quota=4), planned(("t", "amber", 4, {"n/a": 1}), quota=5)),
    ("supply.quota", Grade.STOP, planned(("t", "amber", 4, {"n/a": 1}), most={("t", Purchase.ON_DEMAND, "amber"): 10}),
     planned(("t", "amber", 4, {"n/a": 1}), most={("t", Purchase.ON_DEMAND, "amber"): 8})),
    ("supply.quota", Grade.STOP, limited(15), limited(20)),
    ("supply.quota", Grade.CARE, limited(16), limited(20)),
    ("supply.quota", Grade.STOP, limited(15, VCPU), limited(20, VCPU)),
    ("supply.needed", Grade.STOP, needing("birch"), needing("amber")),
    ("supply.needed", Grade.CARE, needing("amber", nodes=("amber", "birch")), needing("amber", "birch", nodes=("amber", "birch"))),
    ("addresses.routes", Grade.STOP, routed("r1", "r2"), routed("r1", "r1")),
    ("addresses.routes", Grade.STOP, routed("r1", "r2"), routed("r1", "r2", asked=False)),
    ("addresses.routes", Grade.STOP, routed("r1", "r2"), routed("r1", "")),
    ("supply.missing", Grade.CARE, planned(("u", "amber", 1, {"n/a": 1}), ("t", "birch", 1, {"n/a": 1}), survive=Survival.GROWING),
     planned(("t", "amber", 1, {"n/a": 1}), ("t", "birch", 1, {"n/a": 1}), survive=Survival.GROWING)),
    ("targets.zones", Grade.STOP, Situation(zones=("amber",), survive=Survival.STANDING), Situation(zones=("amber", "birch"), survive=Survival.STANDING)),
    ("targets.zones", Grade.STOP, Situation(zones=("amber",), survive=Survival.STANDING), Situation(zones=("amber",))),
    ("targets.plane", Grade.CARE, Situation(plane=Plane(1), survive=Survival.LANDING), Situation(plane=Plane(1))),
    ("targets.plane", Grade.CARE, Situation(plane=Plane(4), survive=Survival.LANDING), Situation(plane=Plane(3), survive=Survival.LANDING)),
    ("targets.plane", Grade.CARE, Situation(plane=Plane(3, "own", False), survive=Survival.LANDING),
     Situation(plane=Plane(3, "own", True), survive=Survival.LANDING)),
    ("targets.cost", Grade.STOP, Situation(money=replace(MONEY, ceiling=Decimal(899))), Situation(money=MONEY)),
    ("targets.cost", Grade.STOP, Situation(money=replace(MONEY, ceiling=Decimal(999))), Situation(money=MONEY)),
    ("targets.cost", Grade.NOTE, Situation(money=replace(MONEY, sign_off_above=Decimal(999))), Situation(money=MONEY)),
    ("fit.one_node", Grade.CARE, planned(("t", "amber", 1, {"n/a": 2})), planned(("t", "amber", 2, {"n/a": 1}))),
    ("fit.one_zone", Grade.NOTE, planned(("t", "amber", 2, {"n/a": 1}), ("t", "birch", 1, {"n/b": 1}), survive=Survival.LANDING),
     planned(("t", "amber", 1, {"n/a": 1}), ("t", "birch", 1, {"n/a": 1, "n/b": 1}), survive=Survival.LANDING)),
    ("fit.interruptible", Grade.STOP, interruptible(0.49), interruptible(0.5)),
    ("versions.step", Grade.STOP, built(now="1.28", to="1.30"), built(now="1.28", to="1.29")),
    ("versions.step", Grade.STOP, built(now="1.29", to="1.28"), built(now="1.29", to="1.29")),
    ("versions.step", Grade.CARE, built(now="1.31", to="2.0"), built(now="1.31", to="1.32")),
    ("versions.nodes", Grade.STOP, built(to="1.31", nodes="1.27"), built(to="1.31", nodes="1.28")),
    ("versions.nodes", Grade.STOP, built(to="1.27", nodes="1.24"), built(to="1.27", nodes="1.25")),
    ("versions.nodes", Grade.STOP, built(now="1.30", nodes="1.31"), built(now="1.31", nodes="1.31")),
    ("versions.end", Grade.STOP, built(ends=date(2028, 5, 1)), built(ends=date(2028, 5, 2))),
    ("versions.end", Grade.CARE, built(ends=date(2028, 7, 30)), built(ends=date(2028, 7, 31))),
    ("names.cluster", Grade.STOP, built(cluster="Summer"), built(cluster="summer")),
    ("names.cluster", Grade.STOP, built(cluster="summer", taken=frozenset({"summer"})), built(cluster="summer", taken=frozenset({"winter"}))),
    ("names.cluster", Grade.STOP, built(cluster="summer", longest=5), built(cluster="summer", longest=6)),
    ("names.cluster", Grade.STOP, built(cluster="summer", prefix="ml-"), built(cluster="ml-summer", prefix="ml-")),
    ("names.domain", Grade.STOP, built(domain="Plan.example"), built(domain="plan.example")),
    ("names.domain", Grade.STOP, built(cluster="s" * 62, domain=LONG), built(cluster="s" * 61, domain=LONG)),
    ("versions.sold", Grade.STOP, built(to="1.32", sold=(read_version("1.31"),)), built(to="1.31", sold=(read_version("1.31"),))),
    ("names.match", Grade.STOP, built(matches=(Match("domain", "a.example", "A.example"),)), built(matches=(Match("domain", "a.example", "a.example"),))),
    ("access.way_in", Grade.STOP, built(private_api=True), built(private_api=True, way_in="jump host")),
    ("targets.tier", Grade.NOTE, Situation(plane=Plane(3, "tended", True, Decimal("0.999")), highest_target=("pay", Decimal("0.9995"))),
     Situation(plane=Plane(3, "tended", True, Decimal("0.9995")), highest_target=("pay", Decimal("0.9995")))),
    ("demand.spread", Grade.NOTE, replace(rows(zone_skew=1, replicas=3), zones=("a", "b", "c"), survive=Survival.LANDING),
     replace(rows(zone_skew=1, replicas=2), zones=("a", "b", "c"), survive=Survival.LANDING)),
    ("supply.age", Grade.NOTE, Situation(newer_list="a newer price list is there"), Situation()),
    ("supply.daemons", Grade.NOTE, replace(planned(), problem=replace(planned().problem, daemon=(2, 1))),  # type: ignore[type-var]
     planned()),
]  # fmt: skip


def of(code: str, at: Situation) -> Iterator[Finding]:
    """Yield what one rule finds."""
    return RULES[code].findings(at)


class TestRules(unittest.TestCase):
    def test_every_rule_has_a_case_that_fires_and_one_that_just_does_not(self) -> None:
        for code, grade, fires, quiet in CASES:
            found = list(of(code, fires))
            self.assertIn(grade, {each.grade for each in found}, code)
            self.assertNotIn(grade, {each.grade for each in of(code, quiet)}, code)
        self.assertEqual({code for code, *_ in CASES}, set(RULES))

    def test_a_file_holds_a_rule_and_nothing_is_found_where_nothing_is_known(self) -> None:
        files = {path.stem for path in (Path(preflight.__file__).parent / "rules").glob("*.py")} - {"__init__"}
        self.assertEqual({code.replace(".", "_") for code in RULES}, files)
        self.assertEqual(findings(Situation()), [])

    def test_findings_read_as_sentences_say_what_would_mend_them_and_come_gravest_first(self) -> None:
        every = [finding for _, _, fires, _ in CASES for finding in findings(fires)]
        for each in every:
            self.assertFalse(each.text.endswith("."), each)
            self.assertTrue(each.fix.endswith("."), each)
            self.assertNotIn("_", each.text, each)
        found = findings(replace(rows(name="Api", request=Amounts()), newer_list="a newer list is there"))
        self.assertEqual([each.grade for each in found], [Grade.STOP, Grade.CARE, Grade.NOTE])
        self.assertEqual((gravest(found), gravest(found[1:]), gravest([])), (Grade.STOP, Grade.CARE, None))

    def test_an_edit_that_mends_a_finding_mends_it(self) -> None:
        mended = 0
        for code, _, fires, _ in CASES:
            for mend in (found.mend for found in of(code, fires) if found.mend):
                after = fires
                if mend.control_plane_members:
                    after = replace(fires, plane=Plane(mend.control_plane_members, spans_zones=True))
                rows_after = []
                for row in fires.rows:
                    edited, faults = read_demand_cells(mend.cells.get(row.full_name, {}), row)
                    self.assertEqual(faults, [])
                    assert edited is not None
                    rows_after.append(edited)
                after = replace(after, rows=tuple(rows_after))
                # What follows from the plan alone is mended by the next fit.
                if code != "fit.one_node":
                    self.assertEqual([e for e in of(code, after) if e.grade is not Grade.NOTE], [], code)
                mended += 1
        self.assertGreaterEqual(mended, 4)

    def test_what_must_exist_follows_from_the_plan_and_access_comes_first(self) -> None:
        at = planned(
            ("t", "amber", 2, {"n/a": 1}),
            ("t", "birch", 1, {"n/a": 1}),
            plans=PLAN,
            gateways=1,
            zones=("amber", "birch"),
        )
        at = replace(at, build=Build(cluster="summer", private_api=True, matches=(Match("domain", "a", "a"),)))
        found = list(prerequisites(at))
        self.assertEqual(
            [each.code for each in found],
            ["credentials", "may.network", "may.nodes", "may.images", "keys", "may.load_balancers",
             "network.4", "gateways", "quota", "name", "way_in", "match.domain", "images"],
        )  # fmt: skip
        # By hand: two and one nodes, and one more in each zone while an upgrade goes on.
        self.assertIn("5 t (on-demand)", next(each.what for each in found if each.code == "quota"))
        self.assertEqual([each.code for each in prerequisites(Situation())], ["credentials"])
        for text in ("1", "one.two", "1.x", "", "1.2.3.4.5 beta"):
            with self.assertRaises(InputRefused):
                read_version(text)
        self.assertEqual(str(read_version("v1.31.4-rc.1")), "1.31")

    def test_names_order_and_currency_decide_nothing(self) -> None:
        for code, _, fires, _ in CASES:
            turned = replace(fires, rows=fires.rows[::-1])
            if fires.money:
                turned = replace(turned, money=replace(fires.money, currency="XAU"))
            self.assertEqual([e.grade for e in of(code, turned)], [e.grade for e in of(code, fires)], code)


if __name__ == "__main__":
    unittest.main()

"""What requests cost at the margin, what a workload adds, and groups and volumes in the fit problem."""

import unittest
from dataclasses import replace
from decimal import Decimal

from rombel.errors import InputRefused
from rombel.fit import check, fit
from rombel.formats import read_demand_cells, write_placement_csv
from rombel.model.compilation import compile_problem
from rombel.model.demand import LOCAL_DISK, Basis, Container, Demand, Level, PodDetail, Sizing, Volume, WorkloadKind
from rombel.model.fit_problem import Offer, Purchase, Survival
from rombel.model.house_rules import HouseRules
from rombel.model.intake import Importance, IntakeForm, row_of_form
from rombel.model.levels import levels_of
from rombel.model.node import ReservationRule
from rombel.model.pod import Amounts
from rombel.model.row_facts import eligibility, facts_of
from rombel.model.study import VOLUMES, SoldType, Supply, Targets
from rombel.plan import addition, floor_per_month, problem_of_study, unit_prices

GIB = 2**30
ZONES = ("amber", "birch", "cedar")


def sold(name: str, vcpu: int, gib: int, price: str, volumes: int | None = None) -> SoldType:
    offers = tuple(Offer(zone, Purchase.ON_DEMAND, Decimal(price)) for zone in ZONES)
    return SoldType(name, Amounts(1000 * vcpu, gib * GIB), 110, "amd64", offers, volumes)


SUPPLY = Supply(
    "EUR", ZONES, (sold("tern-4", 4, 16, "0.2"), sold("auk-8", 8, 16, "0.33")), ReservationRule(Amounts(), Amounts(), 0)
)
ROWS = [
    Demand("shop", "api", WorkloadKind.REPLICATED, 12, Amounts(900, GIB), zone_skew=1),
    Demand("shop", "cache", WorkloadKind.REPLICATED, 6, Amounts(300, 4 * GIB)),
    Demand("shop", "agent", WorkloadKind.DAEMON, 0, Amounts(100, GIB // 8)),
]
LANDING = Targets(survive_zone=Survival.LANDING)


class TestPrices(unittest.TestCase):
    def test_marginal_prices_are_what_smaller_requests_take_off_the_floor(self) -> None:
        found = unit_prices(SUPPLY, LANDING, ROWS)
        # A twentieth less CPU in every row: small enough that the same basis of the relaxation holds.
        fewer = [
            replace(
                row,
                request=replace(
                    row.request, cpu_millicores=row.request.cpu_millicores - row.request.cpu_millicores // 20
                ),
            )
            for row in ROWS
        ]
        saved = sum(row.replicas * (row.request.cpu_millicores // 20) for row in ROWS) / 1000
        less, _ = floor_per_month(SUPPLY, LANDING, fewer)
        self.assertAlmostEqual(float(found.per_vcpu) * saved, float(found.floor_per_month - less), places=6)
        # A vCPU costs no more than the dearest offer's whole price for it, promise included (three zones: half as much again).
        self.assertTrue(0 < found.per_vcpu < Decimal("0.05") * 730 * Decimal("1.6"), found.per_vcpu)

    def test_an_addition_is_a_difference_of_floors_and_its_promise_a_part_of_it(self) -> None:
        row = Demand("shop", "gift", WorkloadKind.REPLICATED, 4, Amounts(500, GIB), zone_skew=1)
        found = addition(SUPPLY, LANDING, ROWS, row)
        before, _ = floor_per_month(SUPPLY, LANDING, ROWS)
        after, _ = floor_per_month(SUPPLY, LANDING, [*ROWS, row])
        self.assertEqual(found.cost_per_month, after - before)
        # Landing room costs something, and never as much as the replicas themselves.
        self.assertTrue(0 < found.promise_per_month < found.cost_per_month)
        self.assertEqual(addition(SUPPLY, Targets(), ROWS, row).promise_per_month, 0)
        # 99 CPU are on no node: there is no difference to tell, and the reason is.
        huge = addition(SUPPLY, LANDING, ROWS, replace(row, request=Amounts(99_000, GIB)))
        self.assertTrue(huge.reasons)

    def test_a_form_becomes_a_row_and_says_what_house_rules_filled_in(self) -> None:
        rules = HouseRules(required_labels=("team",))
        row, filled = row_of_form(
            IntakeForm("shop", "gift", "Cards", peak_rate=100, importance=Importance.CAN_WAIT), rules
        )
        self.assertEqual((row.request, row.labels, row.promised), (rules.intake_request, {"team": "cards"}, False))
        self.assertEqual(row.sizing, Sizing(Basis.RATE, least=2, trough=25, usual=50, peak=100, per_replica=25))
        self.assertEqual(len(filled), 6)


class TestProblem(unittest.TestCase):
    def test_the_level_that_is_fitted_sets_the_replicas(self) -> None:
        row = replace(ROWS[0], sizing=Sizing(Basis.RANGE, least=3, most=10))
        found = {
            level: compile_problem(SUPPLY, Targets(level=level, growth_percent=20), [row]).workloads[0].replicas
            for level in Level
        }
        # The range's most is 10 and the row states 12: usual and peak are cut to it, and the trough runs its least.
        self.assertEqual(found, {Level.TROUGH: 3, Level.USUAL: 10, Level.PEAK: 10, Level.GROWN: 10})

    def test_members_of_a_group_stand_on_the_same_nodes(self) -> None:
        group = [
            replace(ROWS[0], replicas=6, together="g"),
            replace(ROWS[1], replicas=12, together="g", request=Amounts(100, GIB)),
        ]
        problem = problem_of_study(SUPPLY, LANDING, [*group, ROWS[2]])
        (unit,) = problem.workloads
        # Six and twelve are one and two of a unit, six times: requests add up, and so do the pods with the daemon's.
        self.assertEqual((unit.name, unit.replicas, unit.request), ("shop/api + 2×shop/cache", 6, (1100, 3 * GIB, 3)))
        solution = fit(problem)
        self.assertEqual(check(problem, solution).violations, ())
        placed = [line.split(",") for line in write_placement_csv(solution, {}).splitlines()[1:]]
        on = {
            name: {line[0]: int(line[5]) for line in placed if line[4] == name} for name in ("shop/api", "shop/cache")
        }
        self.assertEqual(on["shop/cache"], {node: 2 * count for node, count in on["shop/api"].items()})
        self.assertEqual(sum(on["shop/api"].values()), 6)
        # No whole number of one to the other; nodes that exclude each other; one on a node where two must stand.
        for wrong in (
            [group[0], replace(group[1], replicas=9)],
            [replace(group[0], node_labels={"a": "1"}), replace(group[1], node_labels={"a": "2"})],
            [group[0], replace(group[1], most_per_node=1)],
        ):
            with self.assertRaises(InputRefused):
                compile_problem(SUPPLY, LANDING, wrong)

    def test_volumes_are_packed_up_to_what_a_node_can_attach(self) -> None:
        supply = replace(SUPPLY, types=(sold("tern-4", 4, 16, "0.2", volumes=3), sold("auk-8", 8, 16, "0.33")))
        held = replace(
            ROWS[1],
            request=Amounts(50, GIB // 4),
            replicas=9,
            pod=PodDetail(volumes=(Volume("a", GIB), Volume("b", GIB))),
        )
        problem = compile_problem(supply, Targets(), [held, ROWS[2]])
        self.assertEqual(problem.resources[-1], VOLUMES)
        solution = fit(problem)
        self.assertEqual(check(problem, solution).violations, ())
        for batch in solution.nodes:
            if batch.instance_type == "tern-4":
                # Two volumes a replica and three on a node: the third is of no use.
                self.assertLessEqual(sum(batch.replicas.values()), 1)
        self.assertEqual(len(compile_problem(supply, Targets(), ROWS).resources), 3)

    def test_named_resources_are_packed_where_they_are_sold(self) -> None:
        asked = replace(ROWS[0], replicas=3, pod=PodDetail(resources={"accelerators": 1, LOCAL_DISK: 5 * GIB}))
        fast = replace(sold("skua-4", 4, 16, "1.1"), resources={"accelerators": 2, LOCAL_DISK: 8 * GIB})
        bare = replace(sold("skua-2", 2, 8, "0.7"), resources={"accelerators": 1})
        problem = compile_problem(replace(SUPPLY, types=(*SUPPLY.types, fast, bare)), Targets(), [asked, ROWS[1]])
        self.assertEqual(problem.resources[-2:], ("accelerators", LOCAL_DISK))
        solution = fit(problem)
        self.assertEqual(check(problem, solution).violations, ())
        carriers = [batch for batch in solution.nodes if "shop/api" in batch.replicas]
        # A disk that is not stated is no limit; 5 GiB twice do not fit on 8.
        self.assertEqual({(b.instance_type, b.replicas["shop/api"]) for b in carriers}, {("skua-2", 1)})
        with self.assertRaises(InputRefused):
            compile_problem(SUPPLY, Targets(), [replace(asked, pod=PodDetail(resources={"pods": 1}))])

    def test_a_zonal_volume_survives_standing_and_is_told_of_where_it_would_have_to_land(self) -> None:
        held = replace(ROWS[1], pod=PodDetail(volumes=(Volume("a", GIB),), apart=("shop/api",)), zone_skew=1)
        # A volume stays where it is, so its replica cannot start elsewhere when the zone is lost.
        refused = fit(compile_problem(SUPPLY, LANDING, [ROWS[0], held]))
        self.assertIn("bound to their zone", refused.reasons[0])
        problem = compile_problem(SUPPLY, LANDING, [ROWS[0], replace(held, survive_zone=Survival.STANDING)])
        solution = fit(problem)
        self.assertEqual(check(problem, solution).violations, ())
        placed = sum(batch.count * batch.replicas.get("shop/cache", 0) for batch in solution.nodes)
        self.assertEqual(placed, 9)  # Six left without any one of three zones: three in each.
        self.assertFalse([b for b in solution.nodes if {"shop/api", "shop/cache"} <= b.replicas.keys()])

    def test_the_house_s_architecture_binds_who_names_none_but_no_daemon_and_nobody_who_runs_on_both(self) -> None:
        other = replace(sold("petrel-4", 4, 16, "0.1"), architecture="arm64")
        supply = replace(SUPPLY, types=(*SUPPLY.types, other))
        both = replace(ROWS[1], pod=PodDetail(any_architecture=True))
        # The cheapest type is of the other architecture: who may take it does, and nobody else.
        for architecture, wanted in (("", {"petrel-4"}), ("amd64", {"tern-4", "auk-8"}), ("arm64", {"petrel-4"})):
            solution = fit(compile_problem(supply, Targets(architecture=architecture), [ROWS[0], both, ROWS[2]]))
            api = {b.instance_type for b in solution.nodes if "shop/api" in b.replicas}
            self.assertLessEqual(api, wanted)
            self.assertEqual(
                {b.instance_type for b in solution.nodes if "shop/cache" in b.replicas} - api,
                set() if wanted == {"petrel-4"} else {"petrel-4"},
            )

    def test_an_init_container_that_rules_the_request_is_named(self) -> None:
        """The API's rule takes the larger of the largest init step and of all that runs afterwards."""
        steps = (Container("migrate", "init", Amounts(1000, GIB // 4)), Container("web", "regular", Amounts(200, GIB)))
        row = replace(ROWS[0], request=Amounts(1000, GIB), pod=PodDetail(containers=steps))
        found = {fact.label: fact.value for fact in facts_of(row, [row], 0, Survival.NONE)}
        self.assertEqual(found.get("CPU ruled by"), "init container migrate")
        self.assertNotIn("memory ruled by", found)

    def test_a_row_that_runs_at_some_levels_only_asks_for_nothing_at_others(self) -> None:
        nightly = replace(ROWS[1], sizing=Sizing(runs_at=(Level.TROUGH,)))
        counts = {level: count.replicas for level, count in levels_of(nightly).items()}
        self.assertEqual(counts, {Level.TROUGH: 6, Level.USUAL: 0, Level.PEAK: 0, Level.GROWN: 0})
        busy = replace(ROWS[1], sizing=Sizing(runs_at=(Level.PEAK,)))
        self.assertEqual(levels_of(busy)[Level.GROWN].replicas, 6)
        cells, faults = read_demand_cells({"runs_at": "trough; peak"}, nightly)
        self.assertEqual(([], (Level.TROUGH, Level.PEAK)), (faults, cells.sizing.runs_at if cells else None))
        self.assertEqual(read_demand_cells({"runs_at": "02:00"}, nightly)[1][0].code, "demand.kind")

    def test_nothing_is_packed_by_a_request_of_nothing(self) -> None:
        with self.assertRaises(InputRefused) as caught:
            compile_problem(SUPPLY, Targets(), [*ROWS, replace(ROWS[0], name="new", request=Amounts())])
        self.assertEqual([fault.code for fault in caught.exception.faults], ["demand.request"])

    def test_facts_name_what_needs_a_look(self) -> None:
        held = replace(ROWS[1], pod=PodDetail(volumes=(Volume("a", GIB),)), request=Amounts(9000, GIB))
        labels = {fact.label for fact in facts_of(held, ROWS, 0, Survival.LANDING) if fact.care}
        self.assertEqual(labels, {"zonal volume"})
        queue = replace(ROWS[0], sizing=Sizing(Basis.QUEUE, most=2, trough=1, usual=1, peak=2, service_s=1.5, wait_s=1))
        for request, odd in (
            (Amounts(500, 512), True),
            (Amounts(500, 2**29), False),
            (Amounts(2_000_000, 2**31), True),
            (Amounts(10, 2**36), True),
            (Amounts(500, 0), False),
        ):
            labels = {fact.label for fact in facts_of(replace(held, request=request), ROWS, 0, Survival.NONE)}
            self.assertEqual("odd request" in labels, odd, request)
        late = {fact.label: fact for fact in facts_of(queue, ROWS, 0, Survival.NONE)}["wait over 1 s at peak"]
        self.assertEqual((late.value, late.care), ("100.0 %", True))
        self.assertTrue(eligibility(held, SUPPLY, LANDING, ROWS).care)
        self.assertEqual(eligibility(ROWS[0], SUPPLY, LANDING, ROWS).value, "2 of 2 types")

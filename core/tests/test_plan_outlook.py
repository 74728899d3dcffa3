"""Lower bounds that are told at once: never above what a plan costs, and ordered as what is asked for is."""

from dataclasses import replace
from decimal import Decimal
from unittest import TestCase

from rombel.model.demand import Demand, Level, WorkloadKind
from rombel.model.fit_problem import Offer, Purchase, Survival
from rombel.model.node import ReservationRule
from rombel.model.pod import Amounts
from rombel.model.quantity import HOURS_PER_MONTH
from rombel.model.study import SoldType, Supply, Targets
from rombel.plan import addition, floor_per_month, outlook, plan, problem_of_study, problems_by_level, unit_prices
from tests.problems import QUICK

GIB = 2**30
ZONES = ("amber", "birch", "cedar")


def sold(name: str, vcpu: int, gib: int, price: str) -> SoldType:
    offers = tuple(Offer(zone, Purchase.ON_DEMAND, Decimal(price)) for zone in ZONES)
    return SoldType(name, Amounts(vcpu * 1000, gib * GIB), 110, "amd64", offers)


SUPPLY = Supply(
    "EUR",
    ZONES,
    (sold("tern-4", 4, 16, "0.2"), sold("eider-4", 4, 32, "0.27")),
    ReservationRule(Amounts(), Amounts(), 0),
)
ROWS = [
    Demand("n", "api", WorkloadKind.REPLICATED, 9, Amounts(700, 2 * GIB), zone_skew=1),
    Demand("n", "cache", WorkloadKind.REPLICATED, 6, Amounts(300, 6 * GIB)),
]
TARGETS = Targets(Survival.LANDING, level=Level.PEAK)


class TestOutlook(TestCase):
    def test_both_floors_lie_under_the_plans_and_a_promise_never_costs_less_than_nothing(self) -> None:
        found = outlook(SUPPLY, TARGETS, ROWS)
        assert found.floor_per_month is not None
        assert found.without_promise_per_month is not None
        self.assertGreaterEqual(found.floor_per_month, found.without_promise_per_month)
        for targets, floor in (
            (TARGETS, found.floor_per_month),
            (replace(TARGETS, survive_zone=Survival.NONE), found.without_promise_per_month),
        ):
            _, solution = plan(SUPPLY, targets, ROWS, params=QUICK)
            self.assertLessEqual(floor, solution.cost_per_hour * HOURS_PER_MONTH)
            self.assertGreaterEqual(floor, Decimal("0.7") * solution.cost_per_hour * HOURS_PER_MONTH)

    def test_what_makes_no_problem_or_no_fit_has_reasons_and_no_floor(self) -> None:
        none = outlook(replace(SUPPLY, zones=()), TARGETS, ROWS)
        self.assertEqual((none.floor_per_month, bool(none.reasons)), (None, True))
        huge = outlook(SUPPLY, TARGETS, [replace(ROWS[0], request=Amounts(9000, GIB))])
        self.assertEqual((huge.floor_per_month, bool(huge.reasons)), (None, True))
        alone = outlook(replace(SUPPLY, zones=ZONES[:1]), TARGETS, ROWS)
        self.assertIsNone(alone.floor_per_month)
        self.assertIsNotNone(alone.without_promise_per_month)

    def test_more_demand_never_lowers_a_floor_and_an_addition_says_by_how_much_it_rises(self) -> None:
        row = Demand("n", "more", WorkloadKind.REPLICATED, 4, Amounts(500, 4 * GIB))
        before, _ = floor_per_month(SUPPLY, TARGETS, ROWS)
        after, _ = floor_per_month(SUPPLY, TARGETS, [*ROWS, row])
        found = addition(SUPPLY, TARGETS, ROWS, row)
        self.assertEqual(found.cost_per_month, after - before)
        self.assertTrue(0 <= found.promise_per_month <= found.cost_per_month)
        unfit = addition(SUPPLY, TARGETS, ROWS, replace(row, request=Amounts(9000, GIB)))
        self.assertTrue(unfit.reasons)

    def test_unit_prices_pay_about_the_floor_that_the_requests_make(self) -> None:
        """Where capacity alone rules, what all requests are worth at their marginal prices is the floor (linear programming duality)."""
        plain = replace(TARGETS, survive_zone=Survival.NONE)
        # Many replicas, as a floor is a whole price and that shows in the small.
        rows = [replace(row, replicas=100 * row.replicas) for row in ROWS]
        found = unit_prices(SUPPLY, plain, rows)
        cpu = sum(row.replicas * row.request.cpu_millicores for row in rows)
        memory = sum(row.replicas * row.request.memory_bytes for row in rows)
        worth = found.per_vcpu * cpu / 1000 + found.per_gib * memory / GIB
        self.assertLessEqual(abs(worth - found.floor_per_month), Decimal("0.03") * found.floor_per_month)

    def test_every_level_has_its_problem_and_grown_demand_no_lower_floor(self) -> None:
        growing = replace(TARGETS, growth_percent=50)
        problems = problems_by_level(SUPPLY, growing, ROWS)
        self.assertEqual(set(problems), set(Level))
        self.assertEqual(problems[Level.PEAK], problem_of_study(SUPPLY, growing, ROWS))
        peak, _ = floor_per_month(SUPPLY, growing, ROWS)
        grown, _ = floor_per_month(SUPPLY, replace(growing, level=Level.GROWN), ROWS)
        self.assertGreater(grown, peak)

"""What hangs together: a journey that is down without a workload is one whose chain does not hold without it, and shared nodes are shared by both."""

from __future__ import annotations

from decimal import Decimal
from unittest import TestCase

from rombel.inquiry import relations
from rombel.model.demand import Demand, WorkloadKind
from rombel.model.fit_problem import Purchase
from rombel.model.fit_solution import FitSolution, FitStatus, NodeBatch
from rombel.model.journey import Journey, read_chain
from rombel.model.pod import Amounts
from rombel.model.traffic import Traffic


def row(name: str, *sent: str) -> Demand:
    """Return a workload that sends to others."""
    traffic = tuple(Traffic(f"a/{to}", 7) for to in sent)
    return Demand("a", name, WorkloadKind.REPLICATED, 2, Amounts(100, 100), traffic=traffic)


ROWS = [row("gate", "api"), row("api", "store"), row("cache"), row("spare"), row("store")]
JOURNEY = Journey("buy", Decimal("99.9"), read_chain("a/gate, a/api, any of (a/cache, a/spare), a/store"))
NODES = FitSolution(
    FitStatus.FEASIBLE,
    "EUR",
    Decimal(1),
    Decimal(1),
    (
        NodeBatch("tern-4", Purchase.ON_DEMAND, "amber", 2, {"a/api": 1, "a/store": 1}),
        NodeBatch("auk-8", Purchase.ON_DEMAND, "birch", 1, {"a/api": 1, "a/gate + a/cache": 2}),
    ),
)


class TestRelations(TestCase):
    def test_a_series_is_down_without_each_of_its_parts_and_a_choice_is_not(self) -> None:
        """Every workload of the series takes the journey along; of two ways the other one goes on."""
        down = {own.name: relations(own, ROWS, [JOURNEY], None).journeys[0].is_down_without for own in ROWS}
        self.assertEqual(down, {"gate": True, "api": True, "cache": False, "spare": False, "store": True})

    def test_who_calls_it_stands_before_it_and_what_it_calls_behind(self) -> None:
        """Before and behind are the chain's order around it; the other ways of its own choice are neither."""
        found = relations(ROWS[2], ROWS, [JOURNEY], None).journeys[0]
        self.assertEqual((found.before, found.behind), (("a/gate", "a/api"), ("a/store",)))

    def test_what_one_sends_the_other_gets(self) -> None:
        """Traffic is told on both of its ends, alike."""
        for one in ROWS:
            for other in relations(one, ROWS, [], None).sends:
                back = next(own for own in ROWS if own.full_name == other)
                self.assertEqual(relations(back, ROWS, [], None).gets[one.full_name], 7)
        self.assertIn("a/gate has nobody to send to", relations(ROWS[1], ROWS, [], None).goes_along)

    def test_nodes_are_shared_by_both_sides_alike(self) -> None:
        """Every node that one shares with another is a node that the other shares with it; replicas sum to those of the plan."""
        shares = {own.full_name: relations(own, ROWS, [], NODES) for own in ROWS}
        for name, found in shares.items():
            for other, count in found.shares.items():
                self.assertEqual(shares[other].shares[name], count)
        self.assertEqual([own.node for own in shares["a/api"].nodes], [1, 2, 3])
        self.assertEqual(sum(own.replicas for own in shares["a/api"].nodes), 3)

"""Traffic: what rows state is charged to them, what leaves a zone is counted pair by pair, and the rest of a study's amount is shared evenly."""

import random
import unittest
from decimal import Decimal
from fractions import Fraction
from itertools import product

from rombel.formats import read_demand_csv
from rombel.ledger import Bill, Charge, standing_in_zones, traffic_charges
from rombel.ledger.traffic import EVENLY, RECEIVER_UNSAID, STATED
from rombel.model.beside import BesideCost, Per, count_faults
from rombel.model.demand import Demand, WorkloadKind
from rombel.model.fit_problem import Purchase
from rombel.model.fit_solution import NodeBatch
from rombel.model.pod import Amounts
from rombel.model.traffic import Traffic

ZONES = ("amber", "birch", "cedar")
GIB = 2**30


def row(name: str, *sent: tuple[str, int], kind: WorkloadKind = WorkloadKind.REPLICATED) -> Demand:
    """Return a workload that sends so many GiB a month."""
    return Demand("n", name, kind, 1, Amounts(100, GIB), traffic=tuple(Traffic(to, gib * GIB) for to, gib in sent))


def batch(zone: str, count: int, **replicas: int) -> NodeBatch:
    """Return nodes with replicas of workloads of the namespace n on each."""
    return NodeBatch("t", Purchase.ON_DEMAND, zone, count, {f"n/{name}": number for name, number in replicas.items()})


def charged(per: Per, count: int, rows: list[Demand], nodes: list[NodeBatch]) -> dict[str, Charge]:
    """Return what a GiB fee of 0.01 is charged for in a month, by how the amount is known."""
    cost = BesideCost("traffic", "GiB", Decimal("0.01"), per, count)
    return {charge.what: charge for charge in traffic_charges(cost, rows, nodes, Fraction(1), "list")}


class TestTraffic(unittest.TestCase):
    def test_what_leaves_a_zone_is_the_share_of_pairs_that_stand_in_two(self) -> None:
        rng = random.Random(7)
        for _ in range(30):
            nodes = [
                batch(zone, rng.randint(1, 3), a=rng.randint(0, 3), b=rng.randint(0, 3)) for zone in ZONES for _ in "12"
            ] + [batch("amber", 1, a=1, b=1)]
            standing = standing_in_zones(nodes)
            places = [list(standing[name].elements()) for name in ("n/a", "n/b")]
            pairs = [one != other for one, other in product(*places)]
            found = charged(Per.CROSSING, 0, [row("a", ("n/b", 300), ("out", 9)), row("b")], nodes)
            quantity = found[STATED].quantity if found else 0
            self.assertEqual(quantity, Fraction(300 * sum(pairs), len(pairs)))
        # Of three zones used alike, two thirds of calls to any replica leave their zone; common practice, no source.
        even = [batch(zone, 2, a=1, b=1) for zone in ZONES]
        for to, words in (("n/b", STATED), ("inside", RECEIVER_UNSAID), ("n/unknown", RECEIVER_UNSAID)):
            charge = charged(Per.CROSSING, 0, [row("a", (to, 300)), row("b")], even)[words]
            self.assertEqual((charge.quantity, charge.amount), (200, 2))
        one_zone = [batch("amber", 3, a=1, b=1)]
        self.assertEqual(charged(Per.CROSSING, 0, [row("a", ("n/b", 300), ("inside", 5))], one_zone), {})

    def test_a_daemon_sends_from_every_node_and_members_of_a_group_by_themselves(self) -> None:
        nodes = [batch("amber", 3), batch("birch", 1)]
        nodes[1] = NodeBatch("t", Purchase.ON_DEMAND, "birch", 1, {"n/a + 2×n/b": 4})
        self.assertEqual(standing_in_zones(nodes), {"n/a": {"birch": 4}, "n/b": {"birch": 8}})
        logs = row("logs", ("n/b", 400), kind=WorkloadKind.DAEMON)
        self.assertEqual(charged(Per.CROSSING, 0, [logs, row("a"), row("b")], nodes)[STATED].quantity, 300)

    def test_rows_pay_what_they_state_and_the_rest_of_a_study_is_shared_by_replica(self) -> None:
        nodes = [batch("amber", 2, a=1, b=3, c=1)]
        rows = [row("a", ("out", 120), ("inside", 50)), row("b"), row("c")]
        found = charged(Per.OUT, 520, rows, nodes)
        self.assertEqual(found[STATED].payers, (("n/a", 120),))
        self.assertEqual(found[EVENLY].payers, (("n/b", 300), ("n/c", 100)))
        self.assertEqual(sum(charge.quantity for charge in found.values()), 520)
        # What rows state counts in full, however little the study states.
        self.assertEqual(list(charged(Per.OUT, 100, rows, nodes)), [STATED])
        # Where every row states its own, the rest is everybody's.
        everyone = [row(name, ("out", 10)) for name in "abc"]
        self.assertEqual(len(charged(Per.OUT, 100, everyone, nodes)[EVENLY].payers), 3)
        for charge in found.values():
            bill = Bill("EUR", Fraction(730), (charge,))
            self.assertEqual(sum(Fraction(weight) for _, weight in charge.payers) / 100, bill.total)

    def test_a_cell_of_traffic_that_cannot_be_meant_is_refused_with_its_place(self) -> None:
        head = "namespace,name,replicas,cpu,memory,traffic\nn,a,1,1,1Gi,"
        for cell, reason in {
            "out=120": "unit is missing",
            "everywhere=1Gi": "receives nothing",
            "n/=1Gi": "receives nothing",
            "out=1Gi;out=2Gi": "there twice",
            "out": "no label",
            "out=-1Gi": "",
        }.items():
            (fault,) = read_demand_csv(head + cell).faults
            self.assertIn(reason, fault.reason, cell)
            self.assertEqual((fault.line, fault.column), (2, 6), cell)
        self.assertEqual(list(count_faults("traffic", "GiB", "out", 0, "x")), [])
        self.assertEqual([fault.code for fault in count_faults("traffic", "GiB", "study", 0, "x")], ["ledger.count"])
        self.assertEqual([fault.code for fault in count_faults("traffic", "hour", "out", 1, "x")], ["ledger.per"])

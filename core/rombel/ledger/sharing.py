"""Who pays for what: every charge is shared out, and the shares sum to the bill.

A replica pays for the share of its node that its dominant resource takes: the resource of which it requests the largest share of what the node
offers (Ghodsi et al. 2011, "Dominant Resource Fairness", NSDI, from memory). Where the shares of a node's replicas sum to more than the node,
because some want CPU and others memory, all are cut alike. What nobody requests is told as what it is for: room for what lands when a zone is
lost, or idle.
"""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Hashable, Mapping, Sequence
from decimal import Decimal
from enum import StrEnum
from fractions import Fraction
from typing import TypeVar

from rombel.ledger.bill import Bill
from rombel.model.fit_problem import FitProblem, Vector
from rombel.model.fit_solution import FitSolution
from rombel.model.study import HEADROOM

K = TypeVar("K", bound=Hashable)


class Unassigned(StrEnum):
    """What no workload requests."""

    KEPT = "kept for a lost zone"
    STANDING = "extra replicas for a lost zone"
    HEADROOM = "headroom"
    IDLE = "idle"
    DAEMONS = "daemon workloads"
    SHARED = "shared by all"


KEPT, STANDING, HEADROOM_ROOM, IDLE, DAEMONS, SHARED = Unassigned
UNASSIGNED = frozenset(Unassigned)


CORE_AS_4_GIB = {"cpu_millicores": Fraction(1, 1000), "memory_bytes": Fraction(1, 2**32)}
"""Weights by resource under which a core weighs as much as 4 GiB; common practice, no source."""


def shared_out(
    bill: Bill, problem: FitProblem, solution: FitSolution, weights: Mapping[str, Fraction] | None = None
) -> dict[str, Fraction]:
    """Return what each workload of the problem pays, and each of what is unassigned; the sum is the bill's total, exactly.

    Parameters
    ----------
    bill, problem, solution
        The plan.
    weights
        By resource, what a unit weighs: a replica then pays for its part of a node's weight. None: for its dominant share.

    """
    found: defaultdict[str, Fraction] = defaultdict(Fraction)
    of_offer: defaultdict[tuple[str, str, str], Fraction] = defaultdict(Fraction)
    for charge in bill.charges:
        if charge.purchase:
            of_offer[charge.offer] += Fraction(charge.price) * charge.times
        else:
            payers = charge.payers or ((SHARED, 1),)
            whole = sum((Fraction(weight) for _, weight in payers), Fraction(0))
            for payer, weight in payers:
                found[payer] += charge.amount * weight / whole
    for count, offer, shares in _node_shares(problem, solution, weights):
        for payer, share in shares.items():
            found[payer] += count * share * of_offer[offer]
    return {payer: amount for payer, amount in found.items() if amount}


def _node_shares(
    problem: FitProblem, solution: FitSolution, weights: Mapping[str, Fraction] | None
) -> list[tuple[int, tuple[str, str, str], dict[str, Fraction]]]:
    """Return by kind of node how many there are, their offer, and who takes which share of one; the shares of a node sum to 1."""
    usable = {entry.name: problem.usable(entry) for entry in problem.instance_types}
    offered = {entry.name: entry.allocatable for entry in problem.instance_types}
    share_of = _Measure(problem.resources, weights)
    requests = {workload.name: workload.request for workload in problem.workloads}
    placed: Counter[str] = Counter()
    for batch in solution.nodes:
        for name, number in batch.replicas.items():
            placed[name] += number * batch.count
    # Of what stands more than is asked for, a loss would take some and leave enough: that part is the promise's.
    extra = {w.name: Fraction(max(0, placed[w.name] - w.replicas), max(1, placed[w.name])) for w in problem.workloads}
    arriving: dict[int, list[Mapping[str, int]]] = {}
    for part in (solution.landing or {}).values():
        for entry in part:
            arriving.setdefault(entry.node, []).append(entry.replicas)
    rows, first = [], 0
    for batch in solution.nodes:
        room, offer = usable[batch.instance_type], (batch.instance_type, str(batch.purchase), batch.zone)
        own = {name: share_of(requests[name], number, room) for name, number in batch.replicas.items()}
        taken = sum(own.values(), Fraction(0))
        scale = 1 / max(taken, Fraction(1))
        shares: defaultdict[str, Fraction] = defaultdict(Fraction)
        for name, share in own.items():
            payer = HEADROOM_ROOM if name == HEADROOM else name
            shares[payer] = share * scale * (1 - extra[name])
            shares[STANDING] += share * scale * extra[name]
        left = 1 - taken * scale
        alike: Counter[Fraction] = Counter()
        for number in range(first, first + batch.count):
            lands = (
                sum((share_of(requests[n], c, room) for n, c in lot.items()), Fraction(0))
                for lot in arriving.get(number, ())
            )
            kept = min(left, max(lands, default=Fraction(0)))
            alike[kept] += 1
        first += batch.count
        # Daemons run on every node before anything else does; the others share what is left.
        daemons = min(Fraction(1), share_of(problem.daemon, 1, offered[batch.instance_type]))
        for kept, count in alike.items():
            whole = {**shares, KEPT: kept, IDLE: left - kept}
            rows.append(
                (count, offer, {payer: (1 - daemons) * own for payer, own in whole.items()} | {DAEMONS: daemons})
            )
    return rows


class _Measure:
    """Returns the share of a node that so many replicas take: of their dominant resource, or by weight."""

    def __init__(self, resources: Sequence[str], weights: Mapping[str, Fraction] | None) -> None:
        self._weights = None if weights is None else [weights.get(name, Fraction(0)) for name in resources]
        self._known: dict[tuple[Vector, Vector], Fraction] = {}

    def __call__(self, request: Vector, count: int, room: Vector) -> Fraction:
        """Return the share, 0 and up."""
        # A share grows with the count, and a large plan asks for the same few again and again.
        one = self._known.get((request, room))
        if one is None:
            one = self._known[request, room] = self._of_one(request, room)
        return count * one

    def _of_one(self, request: Vector, room: Vector) -> Fraction:
        if self._weights is None:
            shares = (Fraction(amount, have) for amount, have in zip(request, room, strict=True) if have > 0)
            return max(shares, default=Fraction(0))
        whole = sum((w * have for w, have in zip(self._weights, room, strict=True)), Fraction(0))
        own = sum((w * amount for w, amount in zip(self._weights, request, strict=True)), Fraction(0))
        return own / whole if whole > 0 else Fraction(0)


def spread(amounts: Mapping[str, Fraction]) -> dict[str, Fraction]:
    """Return the amounts with what is unassigned laid on the others in proportion to what they pay themselves; the sum stays."""
    own = {payer: amount for payer, amount in amounts.items() if payer not in UNASSIGNED}
    paid, whole = sum(own.values(), Fraction(0)), sum(amounts.values(), Fraction(0))
    return {payer: amount * whole / paid for payer, amount in own.items()} if paid else dict(amounts)


def line_amounts(bill: Bill) -> list[Decimal]:
    """Return the amounts of a bill's lines, rounded so that they sum to the rounded bill."""
    return list(rounded({number: charge.amount for number, charge in enumerate(bill.charges)}).values())


def rounded(amounts: Mapping[K, Fraction], digits: int = 2) -> dict[K, Decimal]:
    """Return the amounts rounded so that they sum to their rounded sum (largest remainder; of equal remainders the first stated).

    The sum is rounded half to even. No amount moves by a whole unit of the last digit.
    """
    unit = 10**digits
    down = {payer: amount * unit // 1 for payer, amount in amounts.items()}
    whole = sum(amounts.values(), Fraction(0)) * unit
    # Python rounds fractions half to even.
    missing = round(whole) - sum(down.values())
    by_remainder = sorted(amounts, key=lambda payer: -(amounts[payer] * unit - down[payer]))
    for payer in by_remainder[:missing]:
        down[payer] += 1
    return {payer: Decimal(cents).scaleb(-digits) for payer, cents in down.items()}

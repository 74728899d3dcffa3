"""What a price list's terms would do for the nodes in use: one proposal for each term and each thing that it may bind."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal
from fractions import Fraction

from rombel.ledger.commitments import InUse, Level, Worth, best_levels, in_a_month, level_at, worth_of
from rombel.model.price_list import ListedTerm

Place = tuple[str, str]
"""Instance type and zone."""
MOST_LEVELS = 200
"""So many levels are told of one proposal; of more amounts every few are left out, never the best one."""


@dataclass(frozen=True, slots=True)
class Sample:
    """Nodes in use by instance type and zone, for some hours."""

    hours: Fraction
    nodes: Mapping[Place, Fraction]


@dataclass(frozen=True, slots=True)
class SoldNode:
    """What a type costs an hour on demand in a zone, and its family."""

    price: Decimal
    family: str


@dataclass(frozen=True, slots=True)
class Proposal:
    """A commitment that costs least among all levels of its term.

    Parameters
    ----------
    term, target, zones
        What is bound: an instance type in zones where it costs the same, a family, or any node.
    price
        Of one unit an hour on demand: a node, or one unit of money where money is bound.
    best, up_to
        The level that costs least; up to which other level the cost is the same.
    worth, on_demand
        What it is worth, and what a month costs on demand alone.
    uses, levels
        The month that it is computed from, and what other levels cost.

    """

    term: ListedTerm
    target: str
    zones: tuple[str, ...]
    price: Decimal
    best: Level
    up_to: Fraction
    worth: Worth
    on_demand: Fraction
    uses: tuple[InUse, ...]
    levels: tuple[Level, ...]

    @property
    def in_nodes(self) -> bool:
        """Return whether nodes are bound, and not money."""
        return self.term.scope == "instance type"


def proposals(
    samples: Sequence[Sample],
    sold: Mapping[Place, SoldNode],
    terms: Sequence[ListedTerm],
    *,
    held: Mapping[str, int],
    yearly_rate: Fraction = Fraction(0),
) -> list[Proposal]:
    """Return a proposal for every term and everything in use that it may bind, the largest saving first.

    Those that bind the same nodes exclude each other: each is computed as if it were the only one, beside what is held already.

    Parameters
    ----------
    samples, sold
        What is in use, and what it costs on demand; types that are not sold on demand cannot be compared and are left out.
    terms
        Of the price list.
    held
        By instance type, nodes that are committed to already: they are used first and are nobody's saving.
    yearly_rate
        See ``worth_of``.

    """
    free = [_beyond(sample, sold, held) for sample in _merged(samples)]
    found = [
        _proposal(term, target, zones, price, uses, yearly_rate)
        for term in terms
        for target, zones, price, uses in _targets(term, free, sold)
    ]
    return sorted(found, key=lambda p: (-p.worth.saves_per_month, p.term.name, p.target, p.zones))


def _merged(samples: Sequence[Sample]) -> list[Sample]:
    """Return samples with those of the same nodes as one: weeks of a rehearsal hold few different ones."""
    hours: defaultdict[tuple[tuple[Place, Fraction], ...], Fraction] = defaultdict(Fraction)
    for sample in samples:
        hours[tuple(sorted(sample.nodes.items()))] += sample.hours
    return [Sample(own, dict(nodes)) for nodes, own in hours.items()]


def _beyond(sample: Sample, sold: Mapping[Place, SoldNode], held: Mapping[str, int]) -> Sample:
    """Return what of a sample is on demand once what is held is used, where it is dearest first."""
    left: Counter[str] = Counter(held)
    nodes = {}
    # Where they save most: whoever holds a commitment to a type may use it in any zone.
    for place in sorted(sample.nodes, key=lambda each: (-sold[each].price if each in sold else Decimal(0), each)):
        covered = min(Fraction(left[place[0]]), sample.nodes[place])
        # Means over an hour are parts of nodes; a commitment covers whole ones, and the part stays.
        left[place[0]] -= int(covered)
        if place in sold:
            nodes[place] = sample.nodes[place] - covered
    return Sample(sample.hours, nodes)


def _targets(
    term: ListedTerm, samples: Sequence[Sample], sold: Mapping[Place, SoldNode]
) -> Iterator[tuple[str, tuple[str, ...], Decimal, list[InUse]]]:
    """Yield what a term may bind: its name, zones, price of a unit, and its uses."""
    places = [
        place
        for place in sorted({place for sample in samples for place in sample.nodes})
        if not term.families or sold[place].family in term.families
    ]
    groups: defaultdict[tuple[str, Decimal], list[Place]] = defaultdict(list)
    for place in places:
        own = sold[place]
        # Nodes of a type can cover each other where they cost the same.
        if term.scope == "instance type":
            groups[place[0], own.price].append(place)
        else:
            # Money is bound, not nodes: its unit is one of the currency an hour.
            groups[own.family if term.scope == "family" else "any node", Decimal(1)].append(place)
    for (target, price), own_places in groups.items():
        # Counted in nodes, or in what they cost on demand.
        worth = {place: Fraction(1 if term.scope == "instance type" else sold[place].price) for place in own_places}
        uses = [
            InUse(sum((sample.nodes.get(p, Fraction(0)) * worth[p] for p in own_places), Fraction(0)), sample.hours)
            for sample in samples
        ]
        if any(use.amount for use in uses):
            yield target, tuple(sorted({zone for _, zone in own_places})), price, uses


def _proposal(
    term: ListedTerm, target: str, zones: tuple[str, ...], price: Decimal, uses: Sequence[InUse], rate: Fraction
) -> Proposal:
    share, one = Fraction(term.price_share), Fraction(price)
    # Between two amounts in use the cost is a straight line, so only those amounts need be looked at.
    lowest, highest = best_levels(uses, share)
    month = in_a_month(uses)
    most = month[0].amount
    amounts = (
        [Fraction(n) for n in range(int(most) + 1)] if term.scope == "instance type" else [u.amount for u in month]
    )
    step = -(-len(amounts) // MOST_LEVELS)
    # None, the best and the most are always told: those are what a planner asks about.
    kept = sorted({Fraction(0), lowest, highest, most, *amounts[::step]})
    return Proposal(
        term=term,
        target=target,
        zones=zones,
        price=price,
        best=level_at(lowest, month, one, share),
        up_to=highest,
        worth=worth_of(lowest, month, one, term=term, yearly_rate=rate),
        on_demand=level_at(Fraction(0), month, one, share).cost,
        uses=tuple(month),
        levels=tuple(level_at(amount, month, one, share) for amount in kept),
    )


def taken_together(found: Sequence[Proposal]) -> dict[str, Fraction]:
    """Return by scope what a month saves when everything of it is bound by its own best term; nothing where nothing pays.

    Scopes bind the same nodes, so that only one of them can be had; within one, targets do not overlap.
    """
    best: dict[tuple[str, str, tuple[str, ...]], Fraction] = {}
    for proposal in found:
        key = proposal.term.scope, proposal.target, proposal.zones
        # One year and three years bind the same nodes: only the better of them can be had.
        best[key] = max(best.get(key, Fraction(0)), proposal.worth.saves_per_month)
    sums: dict[str, Fraction] = {}
    for (scope, _, _), saves in best.items():
        sums[scope] = sums.get(scope, Fraction(0)) + saves
    return sums

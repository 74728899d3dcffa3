"""Step 12. The checker's reading of a certificate: the least that any answer can cost at its prices, in whole numbers, exactly.

At prices ``w`` of replicas, any answer costs at least what its replicas are worth, as long as no node can carry more worth than it
costs. What a node carries is bounded by prices ``l`` of its room: for any ``l >= 0``,

    sum a_i w_i  <=  l C  +  sum m_i max(0, w_i - l r_i),        0 <= a_i <= m_i,  sum a_i r_i <= C.

So the bound needs no trust in whoever chose the prices: other prices give another bound, never a false one. Where few offers and
workloads leave time for it, the worthiest load in whole replicas is sought out instead. A cost is a sum of prices, so what is
proved is rounded up to a multiple of their common divisor. It shares no code with the solver.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from decimal import Decimal
from fractions import Fraction
from math import gcd

from rombel.model.fit_problem import FitProblem, InstanceType, Offer, OfferKey, Survival, Workload
from rombel.model.fit_solution import Certificate

MOST_BRANCHES, ALL_BRANCHES = 4_000, 120_000
"""Loads in whole replicas looked at for one offer, and for all."""

DIGITS = 24
"""Amounts of money are counted in units of ten to the power of minus this."""


@dataclass(frozen=True, slots=True)
class _Sold:
    """An offer: price in units, room, and by place of the workload the most replicas that one node carries."""

    key: OfferKey
    price: int
    quota: int | None
    room: tuple[int, ...]
    most: Mapping[int, int]


def proved_floor(problem: FitProblem, certificate: Certificate) -> Decimal:
    """Return the floor an hour that the certificate proves; it may prove less than somebody states, and never too much.

    Time is in proportion to offers times workloads, and for spread and standing rules to the replicas.
    Where using a zone costs something: whatever set of zones an answer uses, its nodes cost at least what is proved within any set that
    holds them, and its zones what they cost.
    """
    if problem.zone_charges:
        return _with_zones(problem, certificate)
    workloads = [entry for entry in problem.workloads if entry.replicas > 0]
    # What divides every request divides every sum of them, so the rest of a node's room can never be used.
    grains = [gcd(*amounts) or 1 for amounts in zip(*(w.request for w in workloads), strict=True)]
    sold = [
        _sold(problem, workloads, entry, offer, grains) for entry in problem.instance_types for offer in entry.offers
    ]
    landing = any(problem.promise_of(entry) is Survival.LANDING for entry in workloads)
    states = problem.zones if landing else ("",)
    worth = [{name: _units(price) for name, price in certificate.worth.get(w.name, {}).items()} for w in workloads]
    carried = _Carried(problem, workloads, certificate, worth)
    # A node stands in every state but the loss of its own zone, and earns in all of them.
    paid = {offer.key: sum(carried.most(offer, state) for state in states if state != offer.key[2]) for offer in sold}
    carried.spare_the_dominated(sold, paid)
    # Weak duality, step one: what all replicas are worth together, wherever the rules let them stand.
    whole = sum(_least_worth(problem, w, worth[index], landing) for index, w in enumerate(workloads))
    # Step two: prices under which no node earns more than it costs; all are scaled by the worst node's ratio.
    share = min(
        (Fraction(o.price, paid[o.key]) for o in sold if o.quota is None and paid[o.key] > o.price), default=Fraction(1)
    )
    value = whole * share
    # Step three: a node with a quota may earn more, and then gives back the difference, at most quota times.
    for offer in sold:
        if offer.quota is not None:
            value -= offer.quota * max(Fraction(0), paid[offer.key] * share - offer.price)
    # Costs are whole multiples of this step, and the next multiple up from the bound is a bound as well.
    step = gcd(*(offer.price for offer in sold))
    return max(Decimal(0), Decimal(-int(-value // step) * step if step else 0).scaleb(-DIGITS))


MOST_SETS = 4096
"""Sets of zones looked at one by one; where there are more, zones are taken to cost nothing."""


def _with_zones(problem: FitProblem, certificate: Certificate) -> Decimal:
    plain = replace(problem, zone_charges={})
    proved = {frozenset(problem.zones): proved_floor(plain, certificate)}
    for names, prices in certificate.within.items():
        zones = frozenset(names) & frozenset(problem.zones)
        proved[zones] = max(proved.get(zones, Decimal(0)), proved_floor(problem.within(zones), prices))
    if 2 ** len(problem.zones) > MOST_SETS:
        return proved[frozenset(problem.zones)]
    asked = [(w, _zones_of(problem, w)) for w in problem.workloads if w.replicas]
    wholes = []
    for number in range(1, 2 ** len(problem.zones)):
        used = frozenset(zone for place, zone in enumerate(problem.zones) if number >> place & 1)
        if all(_may_keep_to(problem, w, own, used) for w, own in asked):
            nodes = max(floor for zones, floor in proved.items() if used <= zones)
            wholes.append(
                nodes + sum((price for z in used for _, price in problem.zone_charges.get(z, ())), Decimal(0))
            )
    return min(wholes, default=Decimal(0))


def _may_keep_to(problem: FitProblem, workload: Workload, own: set[str], used: frozenset[str]) -> bool:
    """Return whether counts let all replicas of a workload, which may use its own zones, stand in those that are used."""
    lasting = problem.promise_of(workload) in (Survival.STANDING, Survival.LANDING)
    if lasting and workload.left and not workload.bound_to_zone and len(own & used) < 2:
        return False
    skew = 0 if workload.equal_zones else workload.zone_skew
    # Beside an empty zone of its own none may hold more than the skew.
    return bool(own & used) and (skew is None or own <= used or workload.replicas <= skew * len(own & used))


def _units(amount: Decimal) -> int:
    return int(amount.scaleb(DIGITS))


def _sold(
    problem: FitProblem, workloads: Sequence[Workload], entry: InstanceType, offer: Offer, grains: Sequence[int]
) -> _Sold:
    """Return an offer; of its room in each resource only multiples of what divides every request can be filled."""
    room = tuple(max(have, 0) // grain * grain for have, grain in zip(problem.usable(entry), grains, strict=True))
    most = {}
    for index, workload in enumerate(workloads):
        if problem.may_run(workload, entry, offer):
            count = min(
                [have // asked for have, asked in zip(room, workload.request, strict=True) if asked], default=None
            )
            limits = [limit for limit in (count, workload.most_per_node) if limit is not None]
            most[index] = min(limits, default=workload.replicas)
    return _Sold(entry.key(offer), _units(offer.price_per_hour), offer.most_nodes, room, most)


@dataclass(frozen=True, slots=True)
class _Item:
    """A workload on a node: worth and request of a replica, most replicas, and worth above the price of its room."""

    worth: int
    request: Sequence[int]
    most: int
    gain: int


class _WholeLoad:
    """The worthiest load in whole replicas, depth first; a branch is left where the prices of room promise nothing better."""

    def __init__(self, prices: Sequence[int], items: Sequence[_Item], branches: int) -> None:
        self._prices, self._items, self._branches = prices, items, branches
        self._rest = [0] * (len(items) + 1)
        for index in range(len(items) - 1, -1, -1):
            self._rest[index] = self._rest[index + 1] + items[index].most * items[index].gain
        self.looked, self._best = 0, 0

    def best(self, room: Sequence[int]) -> int | None:
        """Return its worth; None where it would take too many branches."""
        # Depth first over the classes; the counts are exact, so a bound cut short is simply not used.
        self._fill(0, list(room), 0)
        return self._best if self.looked <= self._branches else None

    def _fill(self, index: int, room: list[int], value: int) -> None:
        self.looked += 1
        self._best = max(self._best, value)
        if self.looked > self._branches or index == len(self._items):
            return
        # What is left of the room is worth at most its price, and what gains above that at most its most.
        if value + sum(p * have for p, have in zip(self._prices, room, strict=True)) + self._rest[index] <= self._best:
            return
        item = self._items[index]
        count = min([item.most, *(have // asked for have, asked in zip(room, item.request, strict=True) if asked)])
        for number in range(count, -1, -1):
            left = [have - number * asked for have, asked in zip(room, item.request, strict=True)]
            self._fill(index + 1, left, value + number * item.worth)


class _Carried:
    """What nodes carry at most, in worth."""

    def __init__(
        self,
        problem: FitProblem,
        workloads: Sequence[Workload],
        certificate: Certificate,
        worth: Sequence[Mapping[str, int]],
    ) -> None:
        self._workloads, self._worth, self._width = workloads, worth, len(problem.resources)
        self._branches = ALL_BRANCHES
        self._room = {
            (price.offer, price.lost): [
                max(0, _units(price.prices.get(name, Decimal(0)))) for name in problem.resources
            ]
            # Requests priced by what the certificate says of room; the rest is gain.
            for price in certificate.room
        }

    def most(self, offer: _Sold, state: str) -> int:
        """Return a bound on the worth of what a node of the offer carries in a state, at the prices of room given for it."""
        prices = self._room.get((offer.key, state), [0] * self._width)
        zone = state or offer.key[2]
        items = []
        for index, most in offer.most.items():
            own, request = self._worth[index].get(zone, 0), self._workloads[index].request
            if own > 0:
                asked = sum(p * r for p, r in zip(prices, request, strict=True) if p)
                items.append(_Item(own, request, min(most, self._workloads[index].replicas), max(0, own - asked)))
        # Plain bound: the whole room at its price, and all gains. The exact one replaces it where it is found in time.
        bound = sum(p * have for p, have in zip(prices, offer.room, strict=True)) + sum(i.most * i.gain for i in items)
        if self._branches <= 0:
            return bound
        load = _WholeLoad(
            prices, sorted(items, key=lambda item: item.gain - item.worth), min(MOST_BRANCHES, self._branches)
        )
        best = load.best(offer.room)
        self._branches -= load.looked
        return bound if best is None else min(bound, best)

    def spare_the_dominated(self, sold: Sequence[_Sold], paid: dict[OfferKey, int]) -> None:
        """Lower the bound of offers without prices of their own to that of one in the zone that has and carries as much."""
        priced = {key for key, _ in self._room}
        for offer in sold:
            if offer.key not in priced:
                better = [paid[o.key] for o in sold if o.key in priced and _carries_as_much(o, offer)]
                paid[offer.key] = min([paid[offer.key], *better])


def _carries_as_much(offer: _Sold, other: _Sold) -> bool:
    """Return whether a node of the offer carries whatever one of the other does, in the same zone."""
    return (
        offer.key[2] == other.key[2]
        and all(have >= asked for have, asked in zip(offer.room, other.room, strict=True))
        and other.most.keys() <= offer.most.keys()
    )


def _least_worth(problem: FitProblem, workload: Workload, worth: Mapping[str, int], landing: bool) -> int:
    """Return the least that a workload's replicas are worth, over all counts by zone that its rules allow.

    With landing ``worth`` is by the zone lost: a replica of zone z runs in every state but that of z, and what lands is there in all.
    """
    # Prices under nothing would only weaken the proof, and are taken for nothing.
    worth = {zone: max(0, worth.get(zone, 0)) for zone in problem.zones}
    whole = sum(worth.values())
    if landing and problem.promise_of(workload) is Survival.LANDING:
        return workload.replicas * whole
    zones = sorted(_zones_of(problem, workload))
    # With landing a replica is paid in every state but the loss of its own zone.
    price = sorted(whole - worth[zone] if landing else worth[zone] for zone in zones)
    return min(_worths(problem, workload, price), default=0)


def _zones_of(problem: FitProblem, workload: Workload) -> set[str]:
    return {
        offer.zone
        for entry in problem.instance_types
        for offer in entry.offers
        if offer.most_nodes != 0
        and workload.most_per_node != 0
        and problem.may_run(workload, entry, offer)
        and all(asked <= have for asked, have in zip(workload.request, problem.usable(entry), strict=True))
    }


def _worths(problem: FitProblem, workload: Workload, price: Sequence[int]) -> Iterator[int]:
    """Yield the least worth for every number of replicas in all, and every fewest in a zone, that the rules allow."""
    skew, zones = 0 if workload.equal_zones else workload.zone_skew, len(price)
    standing = problem.promise_of(workload) is Survival.STANDING
    if zones < 2:
        if zones and not standing:
            yield workload.replicas * price[0]
        return
    # Under *standing* more replicas than asked for can be cheaper in zones; twice as many always suffice.
    for total in range(workload.replicas, 2 * workload.replicas + 2 if standing else workload.replicas + 1):
        most = total - workload.left if standing else total
        for fewest in range(0 if skew is None else max(0, -(-(total - zones * skew) // zones)), total // zones + 1):
            cap = most if skew is None else min(most, fewest + skew)
            if fewest <= cap and fewest * zones <= total <= cap * zones:
                yield _filled(price, total, fewest, cap)
            # Without a spread rule the fewest in a zone does not matter, so one round is enough.
            if skew is None:
                break


def _filled(price: Sequence[int], total: int, fewest: int, most: int) -> int:
    """Return the worth of so many replicas in all, from fewest to most in each zone, the cheap zones full first."""
    left, value = total - fewest * len(price), fewest * sum(price)
    for own in price:
        more = min(left, most - fewest)
        left, value = left - more, value + more * own
    return value

"""Which zones are used, where using one costs something of its own: a search over sets of zones, each a fit of its own.

The cheapest whole bill is the least, over all sets of zones, of the cheapest nodes within the set plus what its zones cost. A floor of the
nodes within a set holds within every smaller one, as fewer zones only leave fewer answers. So the set that could still be cheapest is looked
at first, by a quick floor and then by a fit, until what is left could not be cheaper than what was found. Beyond ``MOST_ZONES`` zones that
cost something only the fit in all of them is sought, and the floor counts the cheapest zones that any answer needs.
"""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import replace
from decimal import Decimal
from itertools import combinations
from typing import Protocol

from rombel.fit.check.checker import check
from rombel.fit.observing import Progress, Wish
from rombel.model.fit_problem import FitProblem, Survival, Workload
from rombel.model.fit_solution import Certificate, FitSolution, FitStatus, NodeBatch

MOST_ZONES = 6
"""So many zones that cost something are 63 sets at most."""

Zones = frozenset[str]


class Bound(Protocol):
    """A floor an hour of nodes, with what proves it, or why there can be no answer."""

    @property
    def floor_per_hour(self) -> Decimal:
        """Return the floor."""
        ...

    @property
    def reasons(self) -> tuple[str, ...]:
        """Return why there is no answer; empty: nothing says so."""
        ...

    @property
    def certificate(self) -> Certificate | None:
        """Return the prices that prove the floor."""
        ...


def sets_of_zones(problem: FitProblem) -> list[Zones]:
    """Return the sets of zones that an answer could use, as far as counts tell: the largest first, then in the problem's order.

    Zones without a charge are in every one of them.
    """
    sold = _sold(problem)
    charged = _charged(problem)
    free = sold - set(charged)
    # Equal zones use all or none; and of seven zones there would be 127 sets, each a fit.
    if problem.limits.equal_zones or len(charged) > MOST_ZONES:
        return [sold]
    sizes = range(len(charged), -1, -1)
    sets = [free.union(chosen) for size in sizes for chosen in combinations(charged, size)]
    # Nodes that run in any case run in their zone, and so is its charge paid.
    running = frozenset(o.zone for entry in problem.instance_types for o in entry.offers if o.fewest_nodes)
    spreads = [_Spread(problem, workload) for workload in problem.workloads if workload.replicas]
    return [
        zones
        for zones in sets
        if zones == sold or (zones and running <= zones and all(spread.allows(zones) for spread in spreads))
    ]


def _sold(problem: FitProblem) -> Zones:
    return frozenset(offer.zone for entry in problem.instance_types for offer in entry.offers)


def _charged(problem: FitProblem) -> list[str]:
    sold = _sold(problem)
    return [zone for zone in problem.zones if zone in sold and problem.charge_of([zone])]


class _Spread:
    """Where a workload stands already, and its spread rule over the zones that it may use."""

    def __init__(self, problem: FitProblem, workload: Workload) -> None:
        self._bound = {zone for zone, count in workload.stands.items() if count}
        self._replicas, self._skew = workload.replicas, 0 if workload.equal_zones else workload.zone_skew
        # Only a rule over zones asks for them, and looking through a large price list takes time.
        self._own = Zones() if self._skew is None else domains(problem, workload)

    def allows(self, zones: Zones) -> bool:
        """Return whether replicas may keep to these zones."""
        if not self._bound <= zones:
            return False
        # An empty zone holds none, so that no other may hold more than the skew.
        return self._skew is None or self._own <= zones or self._replicas <= self._skew * len(self._own & zones)


def domains(problem: FitProblem, workload: Workload) -> Zones:
    """Return the zones that a workload may use: one replica finds room there on an empty node."""
    return frozenset(
        offer.zone
        for entry in problem.instance_types
        if all(asked <= have for asked, have in zip(workload.request, problem.usable(entry), strict=True))
        for offer in entry.offers
        if offer.most_nodes != 0 and workload.most_per_node != 0 and problem.may_run(workload, entry, offer)
    )


def least_charge(problem: FitProblem) -> Decimal:
    """Return what every answer pays for zones at least."""
    asked = [workload for workload in problem.workloads if workload.replicas]
    if not asked:
        return Decimal(0)
    # Of what a zone takes along, something must stand outside of it.
    lasting = (Survival.STANDING, Survival.LANDING)
    fewest = 1 + any(problem.promise_of(w) in lasting and w.left and not w.bound_to_zone for w in asked)
    if len(_charged(problem)) > MOST_ZONES:
        return sum(sorted(problem.charge_of([zone]) for zone in _sold(problem))[:fewest], Decimal(0))
    return min(
        (problem.charge_of(zones) for zones in sets_of_zones(problem) if len(zones) >= fewest), default=Decimal(0)
    )


def with_charges(problem: FitProblem, solution: FitSolution) -> FitSolution:
    """Return an answer whose cost counts the zones that its nodes use; its floor is left."""
    return replace(solution, cost_per_hour=solution.cost_per_hour + zones_paid(problem, solution.nodes))


def zones_paid(problem: FitProblem, nodes: tuple[NodeBatch, ...]) -> Decimal:
    """Return what the zones of nodes cost an hour."""
    return problem.charge_of({node.zone for node in nodes})


def only_in(solution: FitSolution, zones: tuple[str, ...]) -> FitSolution:
    """Return what of an answer stands in these zones, for a search to start from."""
    nodes = tuple(node for node in solution.nodes if node.zone in zones)
    # Where lost replicas land would name nodes that are gone; the fit plans it anew.
    return replace(solution, nodes=nodes, landing=None, growing=None)


class _Telling:
    """Tells of the sets of zones one after another as of one fit, and passes on the wish to stop."""

    def __init__(self, wish: Wish, choice: _Choice, zones: Zones) -> None:
        self._wish, self._choice, self._charge = wish, choice, choice.problem.charge_of(zones)

    def on_progress(self, progress: Progress) -> bool:
        """Return whether to stop."""
        choice = self._choice
        share = choice.done + progress.share / choice.asked
        # The fit within knows nothing of charges; whoever watches is told whole bills alone.
        found = progress.cost_per_hour + self._charge if progress.cost_per_hour else Decimal(0)
        costs = [cost for cost in (found, choice.cost) if cost]
        return self._wish.on_progress(Progress(progress.phase, share, min(costs, default=Decimal(0)), choice.floor))

    def wishes_to_stop(self) -> bool:
        """Return whether anybody has wished to stop."""
        return self._wish.heard


class _Choice:
    """What is known of every set of zones that is still open: a bound on its whole bill; and the cheapest answer so far."""

    def __init__(self, problem: FitProblem) -> None:
        self.problem = problem
        self.open = {zones: problem.charge_of(zones) for zones in sets_of_zones(problem)}
        self.asked, self.everywhere = len(self.open), _sold(problem)
        self.closed: dict[Zones, Decimal] = {}
        self.best: FitSolution | None = None
        self.others: list[FitSolution] = []
        self.proofs: dict[Zones, Certificate] = {}
        self.stopped = False

    @property
    def done(self) -> float:
        """Return the share of the sets that need no more looking at."""
        return 1 - len(self.open) / self.asked

    @property
    def cost(self) -> Decimal:
        """Return the cost of the cheapest answer; 0: there is none."""
        return self.best.cost_per_hour if self.best else Decimal(0)

    @property
    def floor(self) -> Decimal:
        """Return what every answer costs at least."""
        return min([*self.open.values(), *self.closed.values()], default=Decimal(0))

    def next(self) -> Zones | None:
        """Return the set that could be cheapest; None: none that is open could be cheaper than what was found."""
        # The lowest bound first: a dear set may never need a fit at all.
        zones = min(self.open, key=lambda each: self.open[each], default=None)
        return None if zones is None or (self.best and self.open[zones] >= self.cost) else zones

    def learn(self, zones: Zones, floor: Decimal, certificate: Certificate | None) -> None:
        """Keep a floor of the nodes within a set; it holds within every smaller one."""
        if certificate is not None:
            self.proofs[zones] = certificate
        for known in (self.open, self.closed):
            for each in known:
                if each <= zones:
                    known[each] = max(known[each], floor + self.problem.charge_of(each))

    def rule_out(self, zones: Zones) -> None:
        """Leave out a set in which there is no answer, and every smaller one."""
        self.open = {each: bound for each, bound in self.open.items() if not each <= zones}

    def take(self, zones: Zones, found: FitSolution) -> None:
        """Keep what a fit within a set found."""
        # Its bound still counts for the floor: the fit within may not have proved its answer.
        self.closed[zones] = self.open.pop(zones)
        self.stopped = self.stopped or found.status is FitStatus.STOPPED
        # Proved to have none, it bounds nothing, and no smaller set has any either.
        if found.status is FitStatus.INFEASIBLE:
            del self.closed[zones]
            self.others.append(found)
            self.rule_out(zones)
            return
        self.learn(zones, found.floor_per_hour, found.certificate)
        whole = with_charges(self.problem, found)
        # Over fewer zones a spread rule may ask for less than over all: such an answer is none, its floor holds.
        if not found.found or (zones != self.everywhere and not check(self.problem.uncharged(), found).holds):
            self.others.append(found)
        elif self.best is None or whole.cost_per_hour < self.cost:
            self.best = whole

    def answer(self) -> FitSolution:
        """Return the cheapest answer with the floor of the whole bill, or what stood in the way."""
        if self.best is None:
            # Unknown first: as long as one set was not decided the whole is not infeasible.
            unknown = [each for each in self.others if each.status is FitStatus.UNKNOWN]
            return [*unknown, *self.others][0]
        floor, proofs = min(self.floor, self.cost), dict(self.proofs)
        whole = proofs.pop(self.everywhere, Certificate({}, ()))
        within = {_named(self.problem, zones): own for zones, own in proofs.items()}
        status = FitStatus.STOPPED if self.stopped else FitStatus.FEASIBLE
        return replace(
            self.best,
            status=FitStatus.OPTIMAL if floor == self.cost else status,
            floor_per_hour=floor,
            certificate=replace(whole, within=within),
        )


def _named(problem: FitProblem, zones: Zones) -> tuple[str, ...]:
    return tuple(zone for zone in problem.zones if zone in zones)


def over_zones(
    problem: FitProblem,
    wish: Wish,
    seconds: float | None,
    bound: Callable[[FitProblem], Bound],
    solve: Callable[[FitProblem, _Telling, float | None], FitSolution],
) -> FitSolution:
    """Return the answer whose nodes and zones together cost least, with its floor.

    Parameters
    ----------
    problem
        With charges of zones.
    wish, seconds
        Who may stop it, and when it ends.
    bound, solve
        A quick floor and a fit of a problem without charges of zones; the fit is given whom to tell and its time.

    """
    choice, end = _Choice(problem), None if seconds is None else time.monotonic() + seconds
    priced = set[Zones]()
    while (zones := choice.next()) is not None and not (wish.heard and choice.best):
        inner = problem.within(zones)
        if zones not in priced:
            priced.add(zones)
            # Quick beside a fit, and often enough to put a set behind the others.
            found = bound(inner)
            # Where counts say that there is no answer the fit will say so, in the same words.
            if not found.reasons:
                choice.learn(zones, found.floor_per_hour, found.certificate)
                continue
        # Shared out evenly; a set that ends early leaves its time to the others.
        left = None if end is None else max(0.0, end - time.monotonic()) / _worth_a_try(choice)
        choice.take(zones, solve(inner, _Telling(wish, choice, zones), left))
    return choice.answer()


def _worth_a_try(choice: _Choice) -> int:
    """Return how many sets could still be cheapest."""
    return max(1, sum(1 for bound in choice.open.values() if not choice.best or bound < choice.cost))

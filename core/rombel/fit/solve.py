"""The fit: from a problem to nodes, placement, cost and a proven floor.

Divisible relaxation -> first answer -> column generation for the floor -> search steered by its prices. The
answer is checked by the independent checker before it is returned.
"""

from __future__ import annotations

import math
import time
from collections.abc import Mapping
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field, replace
from decimal import Decimal
from typing import Protocol

import numpy as np

from rombel.errors import CheckFailed
from rombel.fit._simplex import divisible_loads
from rombel.fit.certificate import certificate_of
from rombel.fit.checker import check
from rombel.fit.coupling import Coupling, build_coupling
from rombel.fit.divisible import Divisible, divisible_limits
from rombel.fit.dominance import undominated
from rombel.fit.evenness import even_weight
from rombel.fit.grouping import relax, tighten
from rombel.fit.growth import growing_workloads, growth_problem
from rombel.fit.instance import Instance, build_instance
from rombel.fit.patterns import PatternParams, Patterns, dive, generate_patterns
from rombel.fit.reasons import plain_reasons, room_reasons
from rombel.fit.search import Prices, Search, SearchParams, Team
from rombel.fit.spares import landing_loss, with_spares
from rombel.fit.whole_nodes import WholeNodes, WholeParams, solve_whole
from rombel.model.fit_problem import FitProblem, OfferKey, Purchase, Survival
from rombel.model.fit_solution import Certificate, FitSolution, FitStatus, NodeBatch

FEW_PRICES = 2000
"""Up to so many prices of replicas the certificate is that of whole loads."""
SMALLER = (Decimal("0.55"), Decimal("0.3"))
"""Where lost nodes' replicas land, answers are sought too whose nodes cost at most these parts of the dearest one."""
DIVING = 0.4
"""The share of a fit done while loads are bought one after another."""
GROWTH_SHARE = 5
"""A plan for a loss is sought with this part of the effort: it is bought for hours, not for months."""


@dataclass(frozen=True, slots=True)
class Progress:
    """Where a fit stands: phase, share done (0 to 1), best cost and floor an hour (0: none yet)."""

    phase: str
    share: float
    cost_per_hour: Decimal
    floor_per_hour: Decimal


class FitObserver(Protocol):
    """Is told of progress, and says when to stop."""

    def on_progress(self, progress: Progress) -> bool:
        """Return True to stop and keep the best so far."""
        ...


class SilentObserver:
    """Watches without a word and never stops."""

    def on_progress(self, progress: Progress) -> bool:
        """Return False."""
        return False


@dataclass(frozen=True, slots=True)
class FitParams:
    """How much a fit tries.

    Parameters
    ----------
    seconds
        Stop after this time and keep the best so far; None: the budgets alone decide, so that the same input
        and seed give the same answer everywhere.
    evenness
        Weight of each resource in how full a node is; of answers as cheap the more evenly filled is preferred. None: all
        alike, but for pods.
    most_nodes_evened
        Answers with more nodes are not filled more evenly.
    gap
        Good enough: stop when cost is this close to the floor, as a share.
    chunks
        How often the search reports and may be stopped.
    searches
        How many searches run side by side from different seeds.
    tied_rounds
        Rounds in which the states of a landing are priced together.
    most_pairs_for_patterns
        Pairs of class and offer, in all states, up to which the pattern program is solved.
    search, patterns, whole
        Parameters of the parts.

    """

    seconds: float | None = None
    evenness: Mapping[str, float] | None = None
    most_nodes_evened: int = 3000
    gap: float = 1e-9
    chunks: int = 20
    searches: int = 2
    tied_rounds: int = 30
    most_pairs_for_patterns: int = 6000
    search: SearchParams = field(default_factory=SearchParams)
    patterns: PatternParams = field(default_factory=PatternParams)
    whole: WholeParams = field(default_factory=WholeParams)


def fit(
    problem: FitProblem,
    *,
    seed: int = 0,
    params: FitParams | None = None,
    observer: FitObserver | None = None,
    before: FitSolution | None = None,
) -> FitSolution:
    """Return the cheapest answer found, with its floor; infeasible problems are answered with reasons.

    Parameters
    ----------
    problem
        What is to be placed, on what.
    seed, params, observer
        Of the search; how much it tries; who is told.
    before
        An answer to a problem much like this one, to start from.

    Raises
    ------
    CheckFailed
        When the answer breaks a rule, which would be a defect of ours.

    """
    asked, problem = problem, _narrowed(problem)
    reasons = tuple(plain_reasons(problem))
    if reasons:
        return _infeasible(problem, reasons)
    instance = build_instance(problem)
    if not instance.workloads:
        return FitSolution(FitStatus.OPTIMAL, problem.currency, Decimal(0), Decimal(0))
    params = params or FitParams()
    solution = _cheapest(problem, seed, params, observer or SilentObserver(), before)
    if solution.nodes and landing_loss(problem).promised:
        solution = _with_spares(problem, solution, seed, params, observer or SilentObserver())
    if solution.nodes and growing_workloads(problem):
        solution = _with_growth(problem, solution, seed, params, observer or SilentObserver())
    report = check(asked, solution)
    if not report.holds:
        raise CheckFailed(report.violations)
    return solution


@dataclass(frozen=True, slots=True)
class QuickFloor:
    """A floor an hour found at once, by letting replicas and nodes be divided; or why there can be no fit."""

    floor_per_hour: Decimal
    reasons: tuple[str, ...] = ()


def quick_floor(problem: FitProblem) -> QuickFloor:
    """Return a lower bound on the cost of every answer, from the divisible relaxation alone."""
    problem = _narrowed(problem)
    reasons = tuple(plain_reasons(problem))
    if reasons:
        return QuickFloor(Decimal(0), reasons)
    instance = build_instance(problem)
    if not instance.workloads:
        return QuickFloor(Decimal(0))
    start = relax(build_coupling(instance))
    if not start.feasible:
        return QuickFloor(Decimal(0), tuple(room_reasons(instance, start.unplaced)))
    return QuickFloor(instance.money(math.floor(start.floor * (1 - 1e-9))))


def _cheapest(
    problem: FitProblem, seed: int, params: FitParams, observer: FitObserver, before: FitSolution | None
) -> FitSolution:
    """Return the answer; where the loss of nodes is survived standing, the cheapest of a few ways to spread thinly."""
    best: FitSolution | None = None
    for nodes in _about_nodes(problem):
        found = _Fit(problem, nodes, seed, params, observer).run(before)
        if best is None or best.status is FitStatus.INFEASIBLE:
            best = found
        elif found.status is not FitStatus.INFEASIBLE:
            floor = max(best.floor_per_hour, found.floor_per_hour)
            cheaper = min(best, found, key=lambda answer: answer.cost_per_hour)
            floor = min(floor, cheaper.cost_per_hour)
            status = FitStatus.OPTIMAL if floor == cheaper.cost_per_hour else cheaper.status
            best = replace(cheaper, floor_per_hour=floor, status=status)
    assert best is not None
    return best


def _about_nodes(problem: FitProblem) -> tuple[float, ...]:
    """Return numbers of nodes to plan for, where the loss of nodes is to be survived standing: as many, twice, any."""
    losses = [problem.node_promise_of(workload) for workload in problem.workloads]
    if not any(loss.promised and loss.how is Survival.STANDING for loss in losses):
        return (math.inf,)
    start = relax(build_coupling(build_instance(problem)))
    nodes = max(2.0, float(start.nodes.sum()))
    return nodes, 2 * nodes, math.inf


def _narrowed(problem: FitProblem) -> FitProblem:
    """Return the problem with the types that an answer can need."""
    return undominated(_sold_equally(problem) if problem.limits.equal_zones else problem)


def _sold_equally(problem: FitProblem) -> FitProblem:
    """Return the problem with pools that can stand in every zone alike, at most as many as the scarcest zone has."""
    types = []
    for entry in problem.instance_types:
        offers = []
        for purchase in Purchase:
            sold = [offer for offer in entry.offers if offer.purchase is purchase]
            if len(sold) == len(problem.zones):
                quotas = [offer.most_nodes for offer in sold if offer.most_nodes is not None]
                offers += [replace(offer, most_nodes=min(quotas, default=None)) for offer in sold]
        types.append(replace(entry, offers=tuple(offers)))
    return replace(problem, instance_types=tuple(types))


class _Shopping:
    """Tells of the plan that stands while new nodes for its losses are sought, and passes on the wish to stop."""

    def __init__(self, observer: FitObserver, solution: FitSolution) -> None:
        self._observer = observer
        self._told = Progress("planning losses", 1.0, solution.cost_per_hour, solution.floor_per_hour)

    def on_progress(self, progress: Progress) -> bool:
        """Return whether to stop."""
        return self._observer.on_progress(self._told)


def _with_growth(
    problem: FitProblem, solution: FitSolution, seed: int, params: FitParams, observer: FitObserver
) -> FitSolution:
    """Return the solution with the new nodes for every zone's loss; infeasible where they cannot be had."""
    watch = _Shopping(observer, solution)
    quick = replace(params, chunks=max(1, params.chunks // GROWTH_SHARE), patterns=PatternParams(most_knapsacks=60))
    growing: dict[str, tuple[NodeBatch, ...]] = {}
    for zone in problem.zones:
        own = growth_problem(problem, solution, zone, own_pools=True)
        found = fit(own, seed=seed, params=quick, observer=watch)
        if found.status is FitStatus.INFEASIBLE and problem.limits.most_pools is None:
            anything = growth_problem(problem, solution, zone, own_pools=False)
            found = fit(anything, seed=seed, params=quick, observer=watch)
        if found.status is FitStatus.INFEASIBLE:
            reasons = tuple(f"Losing {zone}, on new nodes: {reason}" for reason in found.reasons)
            return _infeasible(problem, reasons)
        growing[zone] = found.nodes
    return replace(solution, growing=growing)


def _with_spares(
    problem: FitProblem, solution: FitSolution, seed: int, params: FitParams, observer: FitObserver
) -> FitSolution:
    """Return the solution with room for what lost nodes carry; smaller nodes are tried too, since less is lost with each of them."""
    answers = [with_spares(problem, solution)]
    if answers[0] is not None and answers[0].cost_per_hour == solution.cost_per_hour:
        return solution
    dearest = max(_prices_by_offer(problem)[node.offer] for node in solution.nodes)
    for part in SMALLER:
        types = tuple(
            replace(entry, offers=tuple(o for o in entry.offers if o.price_per_hour <= dearest * part))
            for entry in problem.instance_types
        )
        small = replace(problem, instance_types=types)
        if not any(plain_reasons(small)):
            found = _cheapest(small, seed, params, observer, None)
            if found.nodes:
                answers.append(with_spares(problem, replace(found, certificate=None)))
    whole = [answer for answer in answers if answer is not None]
    if not whole:
        loss = landing_loss(problem)
        reason = f"The replicas of any {loss.count} lost nodes find no room to land, whatever node is added inside the quotas."
        return _infeasible(problem, (reason,))
    best = min(whole, key=lambda answer: answer.cost_per_hour)
    floor = min(solution.floor_per_hour, best.cost_per_hour)
    status = FitStatus.OPTIMAL if floor == best.cost_per_hour else solution.status
    status = FitStatus.FEASIBLE if status is FitStatus.OPTIMAL and floor < best.cost_per_hour else status
    return replace(best, floor_per_hour=floor, status=status, certificate=solution.certificate)


def _prices_by_offer(problem: FitProblem) -> dict[OfferKey, Decimal]:
    return {entry.key(offer): offer.price_per_hour for entry in problem.instance_types for offer in entry.offers}


def _infeasible(problem: FitProblem, reasons: tuple[str, ...]) -> FitSolution:
    return FitSolution(FitStatus.INFEASIBLE, problem.currency, Decimal(0), Decimal(0), reasons=reasons)


class _Fit:
    """One run of the road above."""

    def __init__(self, problem: FitProblem, nodes: float, seed: int, params: FitParams, observer: FitObserver) -> None:
        self.instance, self.nodes = build_instance(problem, nodes), nodes
        self.seed, self.params, self.observer = seed, params, observer
        self.started = time.monotonic()
        self.floor, self.stopped = 0, False
        self.step = math.gcd(*self.instance.price.tolist())
        self.team: Team | None = None
        self.certificate: Certificate | None = None

    def run(self, before: FitSolution | None) -> FitSolution:
        """Return the answer, started from another one where there is one."""
        self._tell("relaxing", 0.0)
        coupling = build_coupling(self.instance)
        start = relax(coupling)
        if not start.feasible:
            return _infeasible(self.instance.problem, tuple(room_reasons(self.instance, start.unplaced)))
        self._raise_floor(start.floor)
        self.certificate = certificate_of(coupling, start)
        slots = self._slots()
        self.team = self._team(self.instance, start, slots, before)
        begin = 0.0 if slots is None else 0.6
        middle = begin + 0.4 * (1 - begin)
        self._tell("first answer", 0.0)
        if slots is not None:
            self._improve_slots(slots)
        del slots  # Its memory is wanted for what follows.
        with ThreadPoolExecutor(1) as thread:
            proof = None if self._good_enough() else thread.submit(self._prove, coupling, start)
            self._improve(self.team, "first answer", begin, middle)
            if proof is not None:
                self._tell("proving", middle)
                self._take(proof.result(), start, coupling)
        self._improve(self.team, "improving", middle, 1.0)
        self.team.close()
        return self._answer(self.team.best)

    def _team(
        self, instance: Instance, start: Divisible, slots: Team | None, before: FitSolution | None = None
    ) -> Team:
        """Return searches with their first answers: taken over from ``slots`` where they serve, else built; or from before."""
        taken = 0 if slots is None else max(member.nodes for member in slots.members)
        standing = 0 if before is None else int(1.2 * sum(node.count for node in before.nodes))
        places = max(int(1.5 * max(start.nodes.sum(), taken)), standing) + len(instance.workloads) + 64
        members = []
        for number in range(self.params.searches):
            seed = self.seed * self.params.searches + number
            member = Search(instance, _prices(start, start.worth), places, seed, self.params.search)
            if slots is None or not member.adopt(slots.members[number]):
                member = Search(instance, _prices(start, start.worth), places, seed, self.params.search)
                member.round_off(start.nodes, start.loads)
            if before is not None:
                member.stand(before)
            members.append(member)
        return Team(members)

    def _slots(self) -> Team | None:
        """Return, where replicas land, first answers in which they stand instead: a good start, quickly found."""
        if not self.instance.lands.any():
            return None
        stand = build_instance(_standing_instead(self.instance.problem), self.nodes)
        window = stand.window.copy()  # As many stand in a zone as its rules want there of those that land elsewhere.
        window[..., 0] = np.maximum(window[..., 0], np.minimum(self.instance.window[..., 0], window[..., 1]))
        stand = replace(stand, window=window)
        start = relax(build_coupling(stand))
        return self._team(stand, start, None) if start.feasible else None

    def _improve_slots(self, slots: Team) -> None:
        """Improve the answers in which replicas stand, then take them over where that is cheaper."""
        self._improve(slots, "first answer", 0.0, 1.0, 0.6)
        slots.close()
        if self.team is not None:
            for member, own in zip(self.team.members, slots.members, strict=True):
                member.adopt(own)

    def _prove(self, coupling: Coupling, start: Divisible) -> _Proof:
        """Return tighter floors with what was found on the way; runs beside the search and touches nothing of it."""
        params = self.params
        proof = _Proof(start.floor, start)
        tied = tighten(coupling, params.tied_rounds) if coupling.states > 1 else None
        if tied is not None and tied.floor > proof.floor:
            proof.floor, proof.prices = tied.floor, tied
        if coupling.cover.size <= params.most_pairs_for_patterns:
            proof.patterns = generate_patterns(coupling, start, lambda found: self.stopped, params.patterns)
            proof.floor = max(proof.floor, proof.patterns.floor)
        limits = self.instance.problem.limits
        ruled = limits.equal_zones or limits.most_pools or limits.fewest_nodes_per_pool or limits.fewest_nodes_per_zone
        few = coupling.states == 1 or coupling.pairs.sum() <= params.whole.most_landing_pairs
        if not self.stopped and self._cost() and (ruled or few):
            whole = solve_whole(coupling, self._cost(), params.whole)
            if whole is not None:
                proof.floor, proof.whole = max(proof.floor, whole.floor), whole
        return proof

    def _take(self, proof: _Proof, start: Divisible, coupling: Coupling) -> None:
        """Keep the floor, try the answers found by proving, and steer the searches by the better prices."""
        self._raise_floor(proof.floor)
        self.certificate = certificate_of(coupling, self._best_prices(coupling, proof))
        if self.team is None or self._good_enough():
            return
        found, whole = proof.patterns, proof.whole
        for member in self.team.members:
            if found is not None and found.worth.size:
                member.set_prices(_prices(start, found.worth))
            if found is not None and found.whole:
                member.adopt_loads(found.whole)
            member.restart()
        first = self.team.members[0]
        if whole is not None and whole.nodes is not None and whole.loads is not None and coupling.states == 1:
            first.try_nodes(whole.nodes.astype(float), whole.loads)
        if found is not None and coupling.states == 1 and not self._good_enough():
            self._dive(coupling, found, first)

    def _dive(self, coupling: Coupling, found: Patterns, search: Search) -> None:
        """Dive until an answer costs no more than the floor; each dive is to bring less than what is known.

        Where loads fill one resource exactly, further dives pay; in several, one takes as long as all else.
        """
        for turn in range(self.params.patterns.dives if self.instance.request.shape[1] == 1 else 1):
            target = max(float(self.floor), (self._cost() - self.step) if self._cost() else 1e300)
            nodes = dive(coupling, found, target, self.params.patterns, turn)
            if nodes:
                search.adopt_loads(nodes)
            if self._good_enough() or self._tell("proving", DIVING):
                return

    def _best_prices(self, coupling: Coupling, proof: _Proof) -> Divisible:
        """Return the prices of the highest floor; those of whole loads where few enough can be looked at by a reader."""
        found = proof.patterns
        if found is None or found.floor <= proof.prices.floor or coupling.cover.size > FEW_PRICES:
            return proof.prices
        states, offers = np.argwhere(coupling.nodes >= 0).T
        weight, instance = np.zeros_like(proof.prices.weight), self.instance
        limits, capacity = divisible_limits(instance)[offers], instance.capacity[offers]
        weight[states, offers], _, _ = divisible_loads(found.worth[states, offers], limits, instance.request, capacity)
        return replace(proof.prices, worth=found.worth, weight=weight)

    def _improve(self, team: Team, phase: str, begin: float, end: float, part: float = 1.0) -> None:
        """Search in chunks; stop when told, when time is up or when nothing cheaper can exist."""
        chunks = self.params.chunks
        steps = max(1, team.members[0].steps // chunks)
        for chunk in range(round(chunks * begin), round(chunks * end)):
            if self.stopped or self._good_enough():
                return
            team.improve(chunk / chunks, (chunk + 1) / chunks, steps)
            self._tell(phase, part * (chunk + 1) / chunks)

    def _raise_floor(self, floor: float) -> None:
        """Keep the best floor."""
        self.floor = max(self.floor, self.instance.whole_floor(floor))

    def _cost(self) -> int:
        """Return the cost of the best complete answer; 0 when there is none yet."""
        best = self.team.best if self.team is not None else None
        return best.cost if best is not None and not best.unplaced.any() else 0

    def _good_enough(self) -> bool:
        return 0 < self._cost() <= self.floor * (1 + self.params.gap)

    def _tell(self, phase: str, share: float) -> bool:
        """Report; remember and return whether to stop."""
        cost, floor = self.instance.money(self._cost()), self.instance.money(self.floor)
        progress = Progress(phase, share, cost, floor)
        late = self.params.seconds is not None and time.monotonic() - self.started > self.params.seconds
        self.stopped = self.observer.on_progress(progress) or late or self.stopped
        return self.stopped

    def _even_out(self, best: Search) -> None:
        """Of answers as cheap choose one whose nodes are filled more evenly; a very large one is left as it is."""
        weight = even_weight(self.instance.problem, self.params.evenness)
        if weight.any() and best.nodes <= self.params.most_nodes_evened:
            best.even_out(weight, self.params.most_nodes_evened)

    def _answer(self, best: Search) -> FitSolution:
        problem = self.instance.problem
        if best.unplaced.any():
            return _infeasible(problem, tuple(room_reasons(self.instance, best.unplaced.astype(float))))
        best.grant_wishes()
        self._even_out(best)
        nodes, landing = best.answer()
        status = FitStatus.STOPPED if self.stopped else FitStatus.FEASIBLE
        if best.cost <= self.floor:
            status = FitStatus.OPTIMAL
        cost, floor = self.instance.money(best.cost), self.instance.money(min(self.floor, best.cost))
        return FitSolution(status, problem.currency, cost, floor, nodes, landing, certificate=self.certificate)


@dataclass(slots=True)
class _Proof:
    """What proving has brought: a floor, loads of the pattern program, the program in whole nodes."""

    floor: float
    prices: Divisible
    patterns: Patterns | None = None
    whole: WholeNodes | None = None


def _standing_instead(problem: FitProblem) -> FitProblem:
    """Return the problem with every landing replaced by standing replicas, free to spread as the promise asks."""
    workloads = tuple(
        replace(entry, survive_zone=Survival.STANDING, zone_skew=None, equal_zones=False)
        if problem.promise_of(entry) is Survival.LANDING
        else entry
        for entry in problem.workloads
    )
    return replace(problem, workloads=workloads)


def _prices(start: Divisible, worth: np.ndarray) -> Prices:
    """Return what steers the search."""
    return Prices(worth=np.ascontiguousarray(worth), weight=np.ascontiguousarray(start.weight))

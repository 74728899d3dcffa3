"""The fit: from a problem to nodes, placement, cost and a proven floor.

The steps are numbered in ``docs/mathematics/fit.md``: what cannot matter is left out (1) and what makes a fit impossible at sight is
said (2); ``run.py`` takes the problem as arrays (3) through relaxation, bounds and search (4 to 10); losses ask for more (11); the
independent checker reads the answer (12) before it is returned.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from decimal import Decimal

from rombel.errors import CheckFailed
from rombel.fit.bounds.aggregation import relax
from rombel.fit.bounds.certificate import certificate_of
from rombel.fit.bounds.linking import build_linking
from rombel.fit.bounds.placed_reasons import room_reasons
from rombel.fit.check.checker import check
from rombel.fit.losses.growth import growing_workloads, growth_problem, without_growing, without_zone
from rombel.fit.losses.spares import landing_loss, with_spares
from rombel.fit.observing import FitObserver, Progress, SilentObserver, Wish
from rombel.fit.problem.building import build_instance
from rombel.fit.problem.dominance import undominated
from rombel.fit.problem.one_form import in_one_form
from rombel.fit.problem.reasons import count_reasons, plain_reasons
from rombel.fit.run import FitParams, Run, no_answer
from rombel.fit.zone_choice import least_charge, only_in, over_zones, zones_paid
from rombel.model.fit_problem import FitProblem, OfferKey, Purchase, Survival
from rombel.model.fit_solution import Certificate, FitSolution, FitStatus, NodeBatch, best_of

SMALLER = (Decimal("0.55"), Decimal("0.3"))
"""Where lost nodes' replicas land, answers are sought too whose nodes cost at most these parts of the dearest one."""
GROWTH_SHARE = 5
"""A plan for a loss is sought with this part of the effort: it is bought for hours, not for months."""


def fit(
    problem: FitProblem,
    *,
    seed: int = 0,
    params: FitParams | None = None,
    observer: FitObserver | None = None,
    before: FitSolution | None = None,
) -> FitSolution:
    """Return the cheapest answer found, with its floor, or why there is none, or none was found.

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
    params, wish = params or FitParams(), Wish(observer or SilentObserver(), None if params is None else params.seconds)
    # The answer is checked against what was asked, never against what the fit made of it.
    asked, problem = problem, _narrowed(problem, params)
    reasons = tuple(plain_reasons(problem))
    if reasons:
        return no_answer(problem, reasons, proved=True)
    if not any(workload.replicas for workload in problem.workloads):
        return _as_it_runs(asked)
    try:
        if asked.zone_charges:
            # A charge for a zone is paid once or not at all, which no price of a node can say: zones are chosen around the fit.
            solution = _over_zones(asked, seed, params, wish, before)
        else:
            solution = _planned(asked, problem, seed, params, wish, before)
    finally:
        wish.close()
    # Whatever went wrong above, nothing that breaks a rule leaves this function.
    report = check(asked, solution)
    if not report.holds:
        raise CheckFailed(report.violations)
    return solution


def _over_zones(
    problem: FitProblem, seed: int, params: FitParams, wish: Wish, before: FitSolution | None
) -> FitSolution:
    """Return the answer that costs least with the zones it uses."""

    def solve(inner: FitProblem, observer: FitObserver, seconds: float | None) -> FitSolution:
        start, own = None if before is None else only_in(before, inner.zones), replace(params, seconds=seconds)
        # What waits for new nodes after a loss may get them in zones that the plan itself does not use.
        found = fit(without_growing(inner), seed=seed, params=own, observer=observer, before=start)
        return grown(problem, found, seed=seed, params=own, observer=observer) if found.nodes else found

    return over_zones(problem, wish, params.seconds, quick_floor, solve)


def _as_it_runs(problem: FitProblem) -> FitSolution:
    """Return the answer where nothing is to be placed: the nodes that run in any case."""
    nodes = tuple(
        NodeBatch(entry.name, offer.purchase, offer.zone, offer.fewest_nodes, {})
        for entry in problem.instance_types
        for offer in entry.offers
        if offer.fewest_nodes
    )
    prices = _prices_by_offer(problem)
    cost = sum((prices[node.offer] * node.count for node in nodes), zones_paid(problem, nodes))
    return FitSolution(FitStatus.OPTIMAL, problem.currency, cost, cost, nodes)


def _planned(
    asked: FitProblem, problem: FitProblem, seed: int, params: FitParams, wish: Wish, before: FitSolution | None
) -> FitSolution:
    """Return the cheapest nodes, with room for what lost nodes carry and the nodes that are bought after a loss."""
    solution = _cheapest(asked, problem, seed, params, wish, before)
    # Order matters: spare nodes are part of what a zone's loss leaves, so they are known before new ones are bought.
    if solution.nodes and landing_loss(problem).promised:
        solution = _with_spares(asked, problem, solution, seed, params, wish)
    if solution.nodes and growing_workloads(problem):
        solution = _with_growth(problem, solution, seed, params, wish)
    return solution


@dataclass(frozen=True, slots=True)
class QuickFloor:
    """A floor an hour found at once, by letting replicas and nodes be divided, with what proves it; or why there can be no fit."""

    floor_per_hour: Decimal
    reasons: tuple[str, ...] = ()
    certificate: Certificate | None = None


def quick_floor(problem: FitProblem) -> QuickFloor:
    """Return a lower bound on the cost of every answer, from the divisible relaxation alone."""
    if problem.zone_charges:
        nodes = quick_floor(problem.uncharged())
        return replace(nodes, floor_per_hour=nodes.floor_per_hour + least_charge(problem))
    asked, problem = problem, _narrowed(problem, FitParams())
    reasons = tuple(plain_reasons(problem))
    if reasons:
        return QuickFloor(Decimal(0), reasons)
    instance = build_instance(problem, asked=asked)
    if not instance.workloads:
        return QuickFloor(Decimal(0))
    if reasons := tuple(count_reasons(instance)):
        return QuickFloor(Decimal(0), reasons)
    linking = build_linking(instance)
    start = relax(linking)
    # Where even divided replicas find no room, whole ones find none.
    if not start.feasible and start.proved:
        return QuickFloor(Decimal(0), tuple(room_reasons(instance, start.unplaced, proved=True)))
    # Prices are whole numbers of a smallest unit here, so a floor between two of them rises to the upper.
    floor = instance.money(instance.whole_floor(start.floor))
    return QuickFloor(floor, certificate=certificate_of(linking, start))


def _cheapest(
    asked: FitProblem, problem: FitProblem, seed: int, params: FitParams, wish: Wish, before: FitSolution | None
) -> FitSolution:
    """Return the answer; where the loss of nodes is survived standing, the cheapest of a few ways to spread thinly."""
    best: FitSolution | None = None
    for nodes in _about_nodes(problem):
        if best is not None and wish.heard:
            break
        instance = build_instance(problem, nodes, asked=asked, keep=params.evenness or ())
        # The floor of each way holds for the problem, so the best of them is kept beside the cheapest answer.
        found = Run(instance, nodes, seed, params, wish).run(before)
        best = found if best is None or not best.found else best_of(best, found)
    assert best is not None
    if best.status is FitStatus.UNKNOWN and not wish.heard and (free := _unlimited(problem)) != problem:
        # A search that may use more nodes on its way sometimes ends with no more than are allowed.
        found = _cheapest(asked, free, seed, params, wish, before)
        if found.found and check(asked, found).holds:
            return found
    return best


def _unlimited(problem: FitProblem) -> FitProblem:
    """Return the problem without quotas, but for offers that have none to give."""
    types = tuple(
        replace(e, offers=tuple(replace(o, most_nodes=None if o.most_nodes else o.most_nodes) for o in e.offers))
        for e in problem.instance_types
    )
    return replace(problem, instance_types=types)


def _about_nodes(problem: FitProblem) -> tuple[float, ...]:
    """Return numbers of nodes to plan for, where the loss of nodes is to be survived standing: as many, twice, any."""
    losses = [problem.node_promise_of(workload) for workload in problem.workloads]
    if not any(loss.promised and loss.how is Survival.STANDING for loss in losses):
        return (math.inf,)
    start = relax(build_linking(build_instance(problem)))
    nodes = max(2.0, float(start.nodes.sum()))
    return nodes, 2 * nodes, math.inf


def _narrowed(problem: FitProblem, params: FitParams) -> FitProblem:
    """Return the problem in its one form, with the types that an answer can need."""
    problem = _large_enough(in_one_form(problem, params.evenness or ()))
    return undominated(_sold_equally(problem) if problem.limits.equal_zones else problem)


def _large_enough(problem: FitProblem) -> FitProblem:
    """Return the problem without the pools that the quotas keep under the fewest nodes asked of a zone or of a pool."""
    limits, types = problem.limits, []
    for entry in problem.instance_types:
        # What runs in any case is kept whatever its quota, as it is paid for.
        least = limits.fewest_nodes_per_zone or 0
        sold = [o for o in entry.offers if o.fewest_nodes or o.most_nodes is None or o.most_nodes >= least]
        kept = []
        for purchase in Purchase:
            own = [offer for offer in sold if offer.purchase is purchase]
            quotas = [offer.most_nodes for offer in own if offer.most_nodes is not None]
            runs = any(offer.fewest_nodes for offer in own)
            if runs or len(quotas) < len(own) or sum(quotas) >= (limits.fewest_nodes_per_pool or 0):
                kept += own
        types.append(replace(entry, offers=tuple(offer for offer in entry.offers if offer in kept)))
    return replace(problem, instance_types=tuple(types))


def _sold_equally(problem: FitProblem) -> FitProblem:
    """Return the problem with pools that can stand in every zone alike, at most as many as the scarcest zone has."""
    types = []
    for entry in problem.instance_types:
        offers = []
        for purchase in Purchase:
            sold = [offer for offer in entry.offers if offer.purchase is purchase]
            # Sold in some zones only, a pool could not be alike in all of them.
            if len(sold) == len(problem.zones):
                quotas = [offer.most_nodes for offer in sold if offer.most_nodes is not None]
                offers += [replace(offer, most_nodes=min(quotas, default=None)) for offer in sold]
        types.append(replace(entry, offers=tuple(offers)))
    return replace(problem, instance_types=tuple(types))


class _Shopping:
    """Tells of the plan that stands while new nodes for its losses are sought, and passes on the wish to stop."""

    def __init__(self, wish: Wish, solution: FitSolution) -> None:
        self._wish = wish
        self._told = Progress("planning losses", 1.0, solution.cost_per_hour, solution.floor_per_hour)

    def on_progress(self, progress: Progress) -> bool:
        """Return whether to stop."""
        return self._wish.on_progress(self._told)

    def wishes_to_stop(self) -> bool:
        """Return whether anybody has wished to stop."""
        return self._wish.heard


def grown(
    problem: FitProblem,
    solution: FitSolution,
    *,
    seed: int = 0,
    params: FitParams | None = None,
    observer: FitObserver | None = None,
) -> FitSolution:
    """Return an answer that keeps all but the promise to grow, with the new nodes for every zone's loss; none where they were not found."""
    if not growing_workloads(problem):
        return solution
    wish = Wish(observer or SilentObserver(), None)
    try:
        # What is bought after a loss is bought for hours; what its zones would cost is not counted.
        return _with_growth(problem.uncharged(), solution, seed, params or FitParams(), wish)
    finally:
        wish.close()


def _with_growth(problem: FitProblem, solution: FitSolution, seed: int, params: FitParams, wish: Wish) -> FitSolution:
    """Return the solution with the new nodes for every zone's loss; none where they were not found beside these nodes."""
    watch = _Shopping(wish, solution)
    # One fit for each zone follows, beside the one that was just done.
    search = replace(params.search, work=params.search.work // GROWTH_SHARE)
    chunks = max(1, params.chunks // GROWTH_SHARE)
    # No floor is told of what a loss buys, so nothing is proved of it: that took most of the time.
    unproved = replace(params.whole, most_pairs=0)
    quick = replace(params, seconds=None, chunks=chunks, most_pairs_for_patterns=0, whole=unproved, search=search)
    growing: dict[str, tuple[NodeBatch, ...]] = {}
    for zone in problem.zones:
        own = growth_problem(problem, solution, zone, own_pools=True)
        # First on pools that stand anyway: an autoscaler grows those, a new pool somebody would have to make.
        found = fit(own, seed=seed, params=quick, observer=watch)
        if not found.found and problem.limits.most_pools is None:
            anything = growth_problem(problem, solution, zone, own_pools=False)
            found = fit(anything, seed=seed, params=quick, observer=watch)
        if not found.found:
            reasons = tuple(f"Losing {zone}, on new nodes: {reason}" for reason in found.reasons)
            rest = fit(without_zone(problem, zone), seed=seed, params=quick, observer=watch)
            return no_answer(problem, reasons, proved=rest.status is FitStatus.INFEASIBLE)
        growing[zone] = found.nodes
    return replace(solution, growing=growing)


def _with_spares(
    asked: FitProblem, problem: FitProblem, solution: FitSolution, seed: int, params: FitParams, wish: Wish
) -> FitSolution:
    """Return the solution with room for what lost nodes carry; smaller nodes are tried too, since less is lost with each of them."""
    answers = [with_spares(problem, solution)]
    # No spare node was needed, so no other size of nodes can be cheaper.
    if answers[0] is not None and answers[0].cost_per_hour == solution.cost_per_hour:
        return solution
    dearest = max(_prices_by_offer(problem)[node.offer] for node in solution.nodes)
    for part in () if wish.heard and answers[0] is not None else SMALLER:
        types = tuple(
            replace(entry, offers=tuple(o for o in entry.offers if o.price_per_hour <= dearest * part))
            for entry in problem.instance_types
        )
        small = replace(problem, instance_types=types)
        if not any(plain_reasons(small)):
            found = _cheapest(asked, small, seed, params, wish, None)
            if found.nodes:
                answers.append(with_spares(problem, replace(found, certificate=None)))
    whole = [answer for answer in answers if answer is not None]
    if not whole:
        loss = landing_loss(problem)
        reason = f"The replicas of any {loss.count} lost nodes found no room to land, whatever single nodes were added inside the quotas."
        return no_answer(problem, (reason,), proved=False)
    best = min(whole, key=lambda answer: answer.cost_per_hour)
    # The floor of the problem without the promise holds with it: promises only add to the cost.
    floor = min(solution.floor_per_hour, best.cost_per_hour)
    status = FitStatus.OPTIMAL if floor == best.cost_per_hour else solution.status
    status = FitStatus.FEASIBLE if status is FitStatus.OPTIMAL and floor < best.cost_per_hour else status
    return replace(best, floor_per_hour=floor, status=status, certificate=solution.certificate)


def _prices_by_offer(problem: FitProblem) -> dict[OfferKey, Decimal]:
    return {entry.key(offer): offer.price_per_hour for entry in problem.instance_types for offer in entry.offers}

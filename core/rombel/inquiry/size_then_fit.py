"""Sizing that ends in a fit: candidates from a fit, sizes for targets, the fit of the sized problem, its exact answer."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from decimal import Decimal

from rombel.availability import Evaluation, Placement, Plane, evaluate, needed_of, placement_of
from rombel.availability.improvements import deal
from rombel.availability.options import Candidate
from rombel.availability.placing import start_up_of
from rombel.availability.sizing import NEAR, Sizing, size
from rombel.availability.unreachable import Unreachable, unreachable
from rombel.fit import FitObserver, FitParams, SearchParams, check, fit, refit, summarise
from rombel.model.demand import Demand, Size, evenly, fewer, grown_most, parted_name, with_sizes
from rombel.model.failure import FailureData
from rombel.model.fit_problem import STRICTER, FitProblem, Workload
from rombel.model.fit_solution import FitSolution, FitStatus
from rombel.model.journey import Dependency, Journey, blocks_of
from rombel.model.quantity import HOURS_PER_MONTH

ROUNDS = 3
"""Most fits of one sizing: where nodes are shared by more than was thought, the targets are tightened and fitted again."""

QUICK = FitParams(search=SearchParams(work=6_000_000), most_pairs_for_patterns=0)
"""Of a fit that starts from an answer to nearly the same problem."""

TIGHTER = 0.98
"""A target that was missed is tightened by what it was missed by, and by this."""


@dataclass(frozen=True)
class World:
    """What availability is computed from beside the fit."""

    rows: Sequence[Demand]
    data: FailureData
    dependencies: Sequence[Dependency]
    journeys: Sequence[Journey]
    plane: Plane | None = None

    def placement(
        self, problem: FitProblem, solution: FitSolution, sizes: Mapping[str, Size] | None = None
    ) -> Placement:
        """Return what a fit makes stand where, of the workloads that the journeys need."""
        rows = with_sizes(self.rows, sizes or {})
        whole = placement_of(problem, solution, rows, self.data, self.plane)
        # Only workloads that a journey needs are evaluated: the tables grow with their number.
        asked = {name for journey in self.journeys for name in blocks_of(journey.chain)}
        return whole.of([name for name in whole.workloads if name in asked])

    def evaluation(
        self, problem: FitProblem, solution: FitSolution, sizes: Mapping[str, Size] | None = None
    ) -> Evaluation:
        """Return the tables over a fit."""
        return evaluate(self.placement(problem, solution, sizes), self.data, self.dependencies)

    def unavailability(
        self, problem: FitProblem, solution: FitSolution, sizes: Mapping[str, Size] | None = None
    ) -> dict[str, float]:
        """Return by journey its exact unavailability over a fit."""
        evaluation = self.evaluation(problem, solution, sizes)
        return {journey.name: evaluation.unavailability_of(journey)[0] for journey in self.journeys}


@dataclass(frozen=True, slots=True)
class KnownFit:
    """Sizes that were fitted before, with the answer: a point of the frontier, say."""

    sizes: Mapping[str, Size]
    solution: FitSolution


@dataclass(frozen=True, slots=True)
class SizedFit:
    """Sizes and what they come to.

    Parameters
    ----------
    sizing
        What was chosen before any fit, at the prices of the fit that it started from.
    sizes
        Those of the answer.
    problem, solution
        The sized problem and its answer: the very one over which ``unavailability`` was computed.
    unavailability
        By journey its exact unavailability over that answer.
    missed
        The journeys that miss their target over it.
    unreachable
        For targets out of reach: why, and the ways out.
    fits
        Fits made.

    """

    sizing: Sizing
    sizes: Mapping[str, Size]
    problem: FitProblem
    solution: FitSolution
    unavailability: Mapping[str, float]
    missed: tuple[str, ...] = ()
    unreachable: tuple[Unreachable, ...] = ()
    fits: int = 0


def candidates_of(problem: FitProblem, solution: FitSolution, world: World) -> list[Candidate]:
    """Return the workloads of the journeys as they are, each at the price that a replica has in the fit."""
    spent = summarise(problem, solution).workload_cost_per_month
    rows = {row.full_name: row for row in world.rows}
    placement = world.placement(problem, solution)
    found = []
    for unit in problem.workloads:
        for name, times in parted_name(unit.name):
            if name in placement.workloads:
                # A unit may hold several replicas of a workload; the price is that of one.
                price = spent.get(unit.name, Decimal(0)) / HOURS_PER_MONTH / max(1, unit.replicas * times)
                found.append(_candidate(rows[name], unit, times, float(price), problem, placement, world.data))
    return found


def _candidate(
    row: Demand, unit: Workload, times: int, price: float, problem: FitProblem, placement: Placement, data: FailureData
) -> Candidate:
    # What was sized on top before is taken off again: sizing starts from what is asked for.
    asked = max(1, unit.replicas * times - row.extra)
    # The fullest node decides how many fall together.
    heaps = [count for counts in placement.by_zone(row.full_name).values() for count in counts]
    return Candidate(
        name=row.full_name,
        replicas=asked,
        needed=needed_of(row, asked, data),
        price=price,
        at_least=problem.promise_of(unit),
        bound=unit.bound_to_zone,
        per_node=max(heaps, default=1),
        start_up_s=start_up_of(row, data),
        must_stand=None if unit.must_stand is None else unit.must_stand * times,
    )


def current_sizes(candidates: Sequence[Candidate], rows: Sequence[Demand]) -> dict[str, Size]:
    """Return the sizes that candidates have as they are."""
    extra = {row.full_name: row.extra for row in rows}
    return {entry.name: Size(extra[entry.name], entry.at_least) for entry in candidates}


def held(sizes: Mapping[str, Size], candidates: Sequence[Candidate]) -> dict[str, Size]:
    """Return the sizes with as many replicas on a node at most as their availability was thought with."""
    per_node = {entry.name: entry.per_node for entry in candidates}
    return {name: replace(own, most_per_node=per_node[name]) for name, own in sizes.items()}


def held_in(sizes: Mapping[str, Size], candidates: Sequence[Candidate], zones: Sequence[str]) -> dict[str, Size]:
    """Return the sizes with the very counts by zone that their availability was thought with."""
    known = {entry.name: entry for entry in candidates}
    found = {}
    for name, own in sizes.items():
        # Dealt evenly, the earlier zones one more: the same way in which the options were computed.
        total = known[name].stand(own.extra, own.how, len(zones))
        found[name] = replace(own, stands=dict(zip(zones, deal(total, len(zones)), strict=True)))
    return found


def resized(problem: FitProblem, sizes: Mapping[str, Size], rows: Sequence[Demand]) -> FitProblem:
    """Return the problem with its workloads as sized; what was sized before is replaced."""
    before = {row.full_name: row.extra for row in rows}

    def of(unit: Workload) -> Workload:
        members = [(name, times) for name, times in parted_name(unit.name) if name in sizes]
        if not members:
            return unit
        # A group follows its neediest member.
        size = grown_most(sizes[name] for name, _ in members)
        assert size is not None
        # Rounded up to whole units of the group.
        extra = max(-(-size.extra // times) for _, times in members)
        known = max(-(-before.get(name, 0) // times) for name, times in members)
        most = (max(1, own // times) for name, times in members if (own := sizes[name].most_per_node) is not None)
        return replace(
            unit,
            replicas=unit.replicas - known + extra,
            survive_zone=size.how,
            zone_skew=evenly(unit.zone_skew),
            most_per_node=fewer((unit.most_per_node, *most)),
            stands=sizes[unit.name].stands if unit.name in sizes else {},
        )

    return replace(problem, workloads=tuple(of(unit) for unit in problem.workloads))


def given_up(sizes: Mapping[str, Size], candidates: Sequence[Candidate]) -> tuple[str, ...]:
    """Return the candidates that survive the loss of a zone less strictly with the sizes than they must."""
    return tuple(
        entry.name
        for entry in candidates
        if entry.name in sizes and STRICTER.index(sizes[entry.name].how) < STRICTER.index(entry.at_least)
    )


def close_to(solution: FitSolution, problem: FitProblem, seed: int) -> FitSolution | None:
    """Return an answer close to another problem's, found in a second or two; None where there is none."""
    near = refit(problem, solution, seed=seed)
    if near is None:  # Where something grows, say.
        near = fit(problem, seed=seed, params=QUICK, before=solution)
    return near if near.found else None


def size_then_fit(
    problem: FitProblem,
    # Room for new nodes is bought after a loss, which a refit does not plan.
    solution: FitSolution,
    world: World,
    candidates: Sequence[Candidate],
    *,
    known: Sequence[KnownFit] = (),
    seed: int = 0,
    params: FitParams | None = None,
    observer: FitObserver | None = None,
) -> SizedFit:
    """Return the cheapest sizes found that meet the journeys' targets, with the answer over which they do.

    How replicas share nodes and zones decides what they are down, so every answer on the way is evaluated as it stands: the fit
    that it starts from, those known, and for each sizing one close to the present fit and one from the whole search. While
    the targets are missed, they are tightened and sized again. Where no answer meets them all, the one that misses least is returned.

    Parameters
    ----------
    problem, solution
        The fit that it starts from.
    world, candidates
        What is promised, and what may grow.
    known
        Other answers, of which those that keep what is promised count.
    seed, params, observer
        Of every fit.

    """
    # What stands already is an answer too, and may be enough.
    work = _Sizing(problem, world, candidates)
    work.look(current_sizes(candidates, world.rows), problem, solution)
    for entry in known:
        work.look_at_known(entry)
    first, aims = None, list(world.journeys)
    for _ in range(ROUNDS):
        sizing = size(candidates, aims, world.dependencies, problem.zones, world.data)
        if first is None:
            first = sizing
            # A target out of reach is replaced by what comes near it, or nothing would ever be good enough.
            work.goals |= {entry.journey: entry.least * NEAR for entry in sizing.unmet}
        sizes = held(sizing.sizes, candidates)
        changed = resized(problem, sizes, world.rows)
        near = refit(changed, solution, seed=seed)
        work.look(sizes, changed, near)
        found = fit(changed, seed=seed, params=params, observer=observer, before=near or solution)
        work.fits += 1
        seen = work.look(sizes, changed, found)
        # The fit may have put its replicas into other zones than the sizing thought; then the counts by zone are asked for.
        if seen is not None and work.excess(seen):
            seen = work.look_as_thought(sizes, found, seed) or seen
        if seen is None or not work.excess(seen) or found.status is FitStatus.STOPPED:
            break
        # Tightened in the measure by which it was missed, and a little more.
        aims = [
            aim.allowing(aim.allowed * min(1.0, TIGHTER * work.goals[aim.name] / seen.unavailability[aim.name]))
            for aim in aims
        ]
    assert first is not None
    return work.best(first)


class _Sizing:
    """Answers looked at, and what their journeys are down."""

    def __init__(self, problem: FitProblem, world: World, candidates: Sequence[Candidate]) -> None:
        self.problem, self.world, self.candidates = problem, world, candidates
        self.goals = {journey.name: journey.allowed for journey in world.journeys}
        self.fits = 0
        self._seen: list[_Seen] = []

    def look(self, sizes: Mapping[str, Size], problem: FitProblem, solution: FitSolution | None) -> _Seen | None:
        """Evaluate an answer and keep it; None where there is none."""
        if solution is None or not solution.found:
            self._seen += [] if solution is None else [_Seen(sizes, problem, solution, {})]
            return None
        self._seen.append(_Seen(sizes, problem, solution, self.world.unavailability(problem, solution, sizes)))
        return self._seen[-1]

    def look_at_known(self, entry: KnownFit) -> None:
        """Evaluate an answer that was found elsewhere, where it is one to this question and gives up nothing that is promised."""
        names = {candidate.name for candidate in self.candidates}
        if entry.sizes.keys() - names or given_up(entry.sizes, self.candidates):
            return
        changed = resized(self.problem, entry.sizes, self.world.rows)
        # Checked here, as it comes from another question's problem.
        if check(changed, entry.solution).holds:
            self.look(entry.sizes, changed, entry.solution)

    def look_as_thought(self, sizes: Mapping[str, Size], solution: FitSolution, seed: int) -> _Seen | None:
        """Evaluate the answer close to one that has its replicas in the zones that the sizes were thought with."""
        sizes = held_in(sizes, self.candidates, self.problem.zones)
        changed = resized(self.problem, sizes, self.world.rows)
        return self.look(sizes, changed, close_to(solution, changed, seed))

    def excess(self, seen: _Seen) -> float:
        """Return by how much the worst journey is beyond its goal, as a share of it; 0: none is."""
        return max(
            (max(0.0, seen.unavailability[name] / goal - 1 - 1e-9) for name, goal in self.goals.items()), default=0.0
        )

    def best(self, sizing: Sizing) -> SizedFit:
        """Return the cheapest answer that meets the goals, or the one that misses least; of equals the first."""
        found = [seen for seen in self._seen if seen.solution.found]
        # First that the goals are met, then the cost.
        best = min(found, key=lambda seen: (self.excess(seen), seen.solution.cost_per_hour))
        if all(seen.problem is self.problem for seen in found) and len(self._seen) > len(found):
            best = self._seen[-1]  # No sized problem has a fit: that is the answer, with its reasons.
        missed = tuple(
            j.name for j in self.world.journeys if best.unavailability.get(j.name, 1.0) > j.allowed * (1 + 1e-9)
        )
        beyond = {entry.journey for entry in sizing.unmet}
        why = tuple(
            unreachable(self.candidates, journey, self.world.dependencies, self.problem.zones, self.world.data)
            for journey in self.world.journeys
            if journey.name in beyond
        )
        return SizedFit(sizing, best.sizes, best.problem, best.solution, best.unavailability, missed, why, self.fits)


@dataclass(frozen=True, slots=True)
class _Seen:
    """One answer with what its journeys are down; nothing where it is none."""

    sizes: Mapping[str, Size]
    problem: FitProblem
    solution: FitSolution
    unavailability: Mapping[str, float]

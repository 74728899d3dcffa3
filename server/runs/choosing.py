"""Which of the answers that are known of one problem is the variant's."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from rombel.fit import check
from rombel.formats import read_solution
from rombel.inquiry import World
from rombel.model.fit_problem import FitProblem
from rombel.model.fit_solution import FitSolution, FitStatus, best_of
from runs.answers import answers_for_sizes
from runs.availability import world_of
from runs.models import Fit, Run


def chosen(run: Run, problem: FitProblem, solution: FitSolution, near: Sequence[Fit]) -> FitSolution:
    """Return the answer, or a better one that is known of the very same problem: the same inputs never cost more than they did.

    What journeys are down hangs on what stands where. A variant that was sized to targets keeps an answer over which they are met,
    while one that is cheaper misses them.
    """
    stored = (read_solution(answer.solution) for answer in near if answer.digest == run.digest)
    # Checked again: an answer of an older version may break a rule that is newer.
    known = [answer for answer in stored if check(problem, answer).holds]
    cheapest = solution
    for answer in known:
        cheapest = best_of(cheapest, answer)
    # Without sizes to keep, the cheapest is the answer.
    if not run.variant.sizes or not cheapest.found:
        return cheapest
    known += [answer for answer in answers_for_sizes(run.variant) if check(problem, answer).holds]
    world, _ = world_of(run.variant)
    best = min(
        # With sizes, targets come before cost.
        (answer for answer in (solution, *known) if answer.found),
        key=lambda answer: (_missed(world, problem, answer), answer.cost_per_hour),
    )
    floor = min(cheapest.floor_per_hour, best.cost_per_hour)
    status = FitStatus.STOPPED if solution.status is FitStatus.STOPPED else FitStatus.FEASIBLE
    status = FitStatus.OPTIMAL if floor == best.cost_per_hour else status
    return replace(best, status=status, floor_per_hour=floor, certificate=cheapest.certificate)


def _missed(world: World, problem: FitProblem, solution: FitSolution) -> bool:
    """Return whether a journey with a target misses it over an answer."""
    evaluation = world.evaluation(problem, solution)
    journeys = [journey for journey in world.journeys if journey.target > 0 and not evaluation.missing(journey)]
    return any(evaluation.unavailability_of(journey)[0] > journey.allowed * (1 + 1e-9) for journey in journeys)

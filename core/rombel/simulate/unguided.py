"""The same loss with nobody telling the scheduler where to place: its own order and score, over several seeds.

A plan is packed so that what is lost has a place; the cluster's scheduler does not know the plan. How often it finds places for all the same,
and how much more room on every node would make it find them, is counted here.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Mapping
from dataclasses import dataclass

from rombel.model.drill import DrillBook
from rombel.model.fit_problem import FitProblem
from rombel.model.fit_solution import FitSolution
from rombel.simulate.play import Play
from rombel.simulate.scheduler import Score

ROOMS = (5, 10, 20, 40)
"""Percents of further room that are tried, least first."""
MANY = 2_000
"""From so many replicas on fewer runs are played."""


@dataclass(frozen=True, slots=True)
class Unguided:
    """What was seen without guidance.

    Parameters
    ----------
    runs, landed
        How many were played, and in how many everything found a node that a guided loss finds one for.
    waited
        By workload, the most replicas that found none in a run.
    sufficed_percent
        The least of the percents tried of further room on every node with which every run landed; None: none did, or none was needed.
    warnings, steps
        What kept replicas waiting although there was room, and what the operator does about it.

    """

    runs: int
    landed: int
    waited: Mapping[str, int]
    sufficed_percent: int | None
    warnings: tuple[str, ...]
    steps: tuple[str, ...]


def play_unguided(
    problem: FitProblem,
    solution: FitSolution,
    book: DrillBook,
    begin: Callable[[Play], object],
    allowed: Counter[str],
    *,
    seed: int = 0,
) -> Unguided:
    """Return what happens over several seeds when steps are played without guidance.

    Parameters
    ----------
    problem, solution, book, seed
        As drills take them.
    begin
        Puts the steps on the clock.
    allowed
        By workload, the replicas that find no node with guidance either.

    """

    def run(number: int, extra: int) -> Play:
        play = Play(
            problem, solution, book, guided=False, score=Score.LEAST_ALLOCATED, seed=seed + number, extra_percent=extra
        )
        begin(play)
        play.run()
        return play

    replicas = sum(batch.count * sum(batch.replicas.values()) for batch in solution.nodes)
    runs = 8 if replicas < MANY else 2
    plays = [run(number, 0) for number in range(runs)]
    missed = [_waiting(play) - allowed for play in plays]
    landed = sum(not entry for entry in missed)
    waited: Counter[str] = Counter()
    for entry in missed:
        waited |= entry
    sufficed = None
    # What waits with guidance too is not the scheduler's fault and is taken off above.
    if landed < runs:
        sufficed = next(
            (extra for extra in ROOMS if all(not _waiting(run(n, extra)) - allowed for n in range(runs))), None
        )
    warnings = tuple(dict.fromkeys(line for play in plays for line in play.warnings))
    steps = tuple(dict.fromkeys(line for play in plays for line in play.checklist))
    return Unguided(runs, landed, dict(waited), sufficed, warnings, steps)


def _waiting(play: Play) -> Counter[str]:
    found: Counter[str] = Counter()
    for (i, _), count in play.cluster.waiting.items():
        found[play.cluster.workloads[i].name] += count
    return found

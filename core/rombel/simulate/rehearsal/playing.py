"""Playing a rehearsal: from values to values, with progress and a stop on the way."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor, wait

import numpy as np

from rombel.model.fit_problem import FitProblem
from rombel.model.fit_solution import FitSolution
from rombel.model.rehearsal import Rehearsal
from rombel.simulate.rehearsal._kernel import play_until
from rombel.simulate.rehearsal._tables import Ints
from rombel.simulate.rehearsal.building import stage
from rombel.simulate.rehearsal.outcome import RehearsalOutcome, Standing, outcome, standing

LOOK_S = 0.1
"""Seconds between two tellings of progress."""


def rehearse(
    problem: FitProblem,
    solution: FitSolution,
    rehearsal: Rehearsal,
    *,
    seed: int = 0,
    on_progress: Callable[[float], bool] | None = None,
) -> RehearsalOutcome:
    """Return what a rehearsal shows; the same seed shows the same.

    Parameters
    ----------
    problem, solution, rehearsal
        What stands at the start, and what is played on it.
    seed
        Of the starts of nodes and the interruptions.
    on_progress
        Is told the share that is played, ten times a second; returns whether to stop. What was played until then counts.

    Raises
    ------
    InputRefused
        With every fault of the rehearsal.

    """
    named, world, state, tally = stage(problem, solution, rehearsal, seed=seed)
    told = np.zeros(2, np.int64)
    if on_progress is None:
        reached = play_until(world, state, tally, rehearsal.lasts_s, told)
    else:
        reached = _with_progress(
            lambda: play_until(world, state, tally, rehearsal.lasts_s, told), told, rehearsal.lasts_s, on_progress
        )
    return outcome(named, world, state, tally, rehearsal, solution, seed=seed, reached_s=reached)


def _with_progress(run: Callable[[], int], told: Ints, whole: int, on_progress: Callable[[float], bool]) -> int:
    """Run compiled code beside this thread, which tells how far it is and passes a wish to stop on."""
    with ThreadPoolExecutor(1, "rehearsal") as pool:
        running = pool.submit(run)
        try:
            while not running.done():
                wait([running], LOOK_S)
                if on_progress(min(1.0, int(told[0]) / whole)):
                    told[1] = 1
        finally:
            # Whoever is told may fail: nothing is left to play on then.
            told[1] = 1
        return running.result()


def standing_at(
    problem: FitProblem, solution: FitSolution, rehearsal: Rehearsal, at_s: int, *, seed: int = 0
) -> Standing:
    """Return what stands at a moment of a rehearsal: it is played again up to there."""
    named, world, state, tally = stage(problem, solution, rehearsal, seed=seed)
    reached = play_until(world, state, tally, max(0, min(at_s, rehearsal.lasts_s)), np.zeros(2, np.int64))
    return standing(named, state, reached)

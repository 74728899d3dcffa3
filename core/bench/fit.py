"""The fit on a grid: cost above the floor, seconds, peak memory; the same by plainer ways to place, and by a general solver.

Run with ``./rombel bench fit [FAMILY...]``. Every instance runs in a process of its own. Baselines: first fit decreasing on
the best single type, best fit over all types for what a replica costs there, and HiGHS on the assignment model for a
fixed time where it can be stated (only problems without landing, a spread rule left out: which helps the baselines). The last two
columns are a re-fit after one edit, a twentieth more replicas of one class: its seconds, and how many points of the floor its cost
lies above that of a fit from nothing.
"""

from __future__ import annotations

import json
import multiprocessing
import resource
import sys
import time
from collections.abc import Callable, Iterator
from dataclasses import replace
from datetime import UTC, datetime

from bench.baselines import best_fit, first_fit_decreasing, general_solver
from bench.instances import Realistic, realistic, triplets, uniform, vectors
from rombel.fit import Progress, fit, refit
from rombel.model.fit_problem import FitProblem
from rombel.model.fit_solution import FitSolution
from rombel.plan import warm_up

Maker = Callable[[], FitProblem]
SIZES = ((200, 20, 12), (2_000, 100, 60), (20_000, 500, 200), (150_000, 500, 200))
LARGEST_FOR_SOLVER, SOLVER_SECONDS = 220, 20.0


def grid() -> Iterator[tuple[str, str, Maker]]:
    """Yield family, name and maker of every instance."""
    for items in (120, 250, 501):
        for seed in (1, 2):
            yield "1-D", f"uniform {items} seed {seed}", lambda items=items, seed=seed: uniform(seed, items)
    for bins in (20, 40, 83, 167):
        yield "1-D", f"triplets {3 * bins}", lambda bins=bins: triplets(1, bins)
    for family in range(1, 9):
        for items in (100, 200):
            yield "2-D", f"family {family} of {items}", lambda family=family, items=items: vectors(1, family, items)
    for replicas, classes, types in SIZES:
        for zones in (1, 3, 5):
            for survive in ("none", "standing", "landing"):
                if zones == 1 and survive != "none":
                    continue
                shape = Realistic(classes, types, zones, survive, replicas)
                yield f"{replicas}", f"{zones} zones {survive}", lambda shape=shape: realistic(1, shape)


class _First:
    """Remembers when the first answer with a floor stood."""

    def __init__(self) -> None:
        self.started, self.seconds = time.perf_counter(), 0.0

    def on_progress(self, progress: Progress) -> bool:
        """Return False."""
        if not self.seconds and progress.cost_per_hour and progress.floor_per_hour:
            self.seconds = time.perf_counter() - self.started
        return False


def measure(make: Maker) -> dict[str, object]:
    """Return the figures of one instance."""
    problem = make()
    first = _First()
    solution = fit(problem, observer=first)
    seconds = time.perf_counter() - first.started
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss // 1024
    floor = float(solution.floor_per_hour)
    plain = str(problem.survive_zone) == "none"
    small = sum(w.replicas for w in problem.workloads) <= LARGEST_FOR_SOLVER
    others = [
        first_fit_decreasing(problem) if plain else None,
        best_fit(problem) if plain else None,
        general_solver(problem, SOLVER_SECONDS) if plain and small else None,
    ]
    return {
        "status": str(solution.status),
        "ratio": 1 + solution.gap,
        "first": first.seconds,
        "seconds": seconds,
        "peak": peak,
        "others": [None if other is None else other / floor for other in others],
        "refit": _edited(problem, solution),
    }


def _edited(problem: FitProblem, solution: FitSolution) -> tuple[float, float] | None:
    """Return seconds of a re-fit after one edit, and its points above a fit from nothing; None where it does not serve."""
    first, *rest = problem.workloads
    more = replace(first, replicas=first.replicas + max(1, first.replicas // 20))
    edited = replace(problem, workloads=(more, *rest))
    refit(edited, solution)  # As in a worker that has done it before.
    started = time.perf_counter()
    quick = refit(edited, solution)
    seconds = time.perf_counter() - started
    if quick is None:
        return None
    cold = fit(edited)
    return seconds, 100 * float((quick.cost_per_hour - cold.cost_per_hour) / cold.floor_per_hour)


def _child(number: int, out: multiprocessing.connection.Connection) -> None:
    warm_up()
    out.send(json.dumps(measure(list(grid())[number][2])))


def main() -> None:
    """Print one line for each instance of the families named, or of all."""
    wanted = set(sys.argv[1:])
    print(f"{datetime.now(UTC):%Y-%m-%d}: cost, and what other ways cost, as a multiple of the floor")
    head = f"{'family':8} {'instance':22} {'status':9} {'fit':>7} {'first s':>7} {'s':>6} {'MiB':>5}"
    print(f"{head} {'FFD':>7} {'best fit':>7} {'HiGHS':>7} {'re-fit':>6} {'points':>6}")
    context = multiprocessing.get_context("spawn")
    for number, (family, name, _) in enumerate(grid()):
        if wanted and family not in wanted:
            continue
        receiver, sender = context.Pipe(False)
        process = context.Process(target=_child, args=(number, sender))
        process.start()
        sender.close()
        try:
            row = json.loads(receiver.recv())
        except EOFError:
            print(f"{family:8} {name:22} broke")
            continue
        process.join()
        edited = "" if row["refit"] is None else f"{row['refit'][0]:6.2f} {row['refit'][1]:6.2f}"
        others = " ".join(f"{'' if x is None else f'{x:.4f}':>7}" for x in row["others"])
        print(
            f"{family:8} {name:22} {row['status']:9} {row['ratio']:7.4f} {row['first']:7.2f} "
            f"{row['seconds']:6.1f} {row['peak']:5d} {others} {edited}",
            flush=True,
        )


if __name__ == "__main__":
    main()

"""The drills that a fit's promises and its surroundings imply."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from dataclasses import replace

from rombel.model.drill import Drill, DrillBook, DrillKind, DrillStep
from rombel.model.fit_problem import FitProblem, Purchase, Survival
from rombel.model.fit_solution import FitSolution


def with_implied(problem: FitProblem, solution: FitSolution, book: DrillBook) -> DrillBook:
    """Return the book with the drills that are implied before its own; a name that the book has already is not added again."""
    own = {drill.name for drill in book.drills}
    return replace(
        book, drills=(*(drill for drill in _implied(problem, solution, book) if drill.name not in own), *book.drills)
    )


def _implied(problem: FitProblem, solution: FitSolution, book: DrillBook) -> Iterator[Drill]:
    workloads = [w for w in problem.workloads if w.replicas]
    used = {batch.zone for batch in solution.nodes}
    for zone in problem.zones:
        if zone in used:
            promised = any(problem.promise_of(w) is not Survival.NONE for w in workloads)
            yield Drill(f"lose zone {zone}", (DrillStep(DrillKind.ZONE, zone=zone),), promised)
    promise = max((loss.count for w in workloads if (loss := problem.node_promise_of(w)).promised), default=0)
    fleet = sum(batch.count for batch in solution.nodes)
    if fleet:
        # Without a promise one lost node is still the most usual of losses.
        count = min(max(1, promise), fleet)
        name = "lose any node" if count == 1 else f"lose any {count} nodes"
        yield Drill(name, (DrillStep(DrillKind.NODES, count=count),), promise > 0)
    for zone in sorted(name for name, count in book.members.items() if count):
        yield Drill(f"lose a control-plane member in {zone}", (DrillStep(DrillKind.MEMBERS, zone=zone),))
    for entry in book.dependencies:
        yield Drill(f"{entry.name} is down", (DrillStep(DrillKind.DEPENDENCY, dependency=entry.name),))
    if any(batch.purchase is Purchase.INTERRUPTIBLE for batch in solution.nodes):
        yield Drill("half of the interruptible nodes are taken back", (DrillStep(DrillKind.INTERRUPTION, share=0.5),))
    if fleet:
        yield Drill("roll a version", (DrillStep(DrillKind.VERSION),))
        pools = Counter[tuple[str, Purchase]]()
        for batch in solution.nodes:
            pools[batch.instance_type, batch.purchase] += batch.count
        (name, purchase), there = max(pools.items(), key=lambda entry: (entry[1], entry[0]))
        step = DrillStep(DrillKind.SHRINK, instance_type=name, purchase=str(purchase), count=there - 1)
        yield Drill(f"shrink {name} by one node", (step,))

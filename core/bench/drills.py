"""How long drills take: a lost zone on fleets of growing size, and the worst loss of two nodes.

``./rombel bench drills``: prints seconds, events, mebibytes at most, and how the time grows with the fleet.
"""

from __future__ import annotations

import random
import resource
import time
from decimal import Decimal

from rombel.model.drill import Drill, DrillBook, DrillKind, DrillStep
from rombel.model.fit_problem import FitProblem, InstanceType, Offer, Purchase, Survival, Workload
from rombel.model.fit_solution import FitSolution, FitStatus, Landing, NodeBatch
from rombel.simulate.drilling import play_book, play_drill
from rombel.simulate.implied import with_implied

ZONES = ("a", "b", "c")
PER_NODE = 40
ROOM = 60
"""Replicas on a node, and room for so many: a third of all can land on the other two thirds."""


def fleet(nodes: int, workloads: int, seed: int = 1) -> tuple[FitProblem, FitSolution]:
    """Return a fit whose every zone can be lost, with the landings of each."""
    rng = random.Random(seed)
    held: list[dict[str, int]] = [{} for _ in range(nodes)]
    for own in held:
        for _ in range(PER_NODE):
            name = f"w/{rng.randrange(workloads)}"
            own[name] = own.get(name, 0) + 1
    total = {f"w/{n}": sum(own.get(f"w/{n}", 0) for own in held) for n in range(workloads)}
    offers = tuple(Offer(zone, Purchase.ON_DEMAND, Decimal(1)) for zone in ZONES)
    problem = FitProblem(
        "EUR",
        ZONES,
        ("cpu_millicores", "memory_bytes"),
        (0, 0),
        (InstanceType("node", (ROOM * 500, ROOM * 1024), offers),),
        tuple(Workload(name, count, (500, 1024)) for name, count in total.items() if count),
        Survival.LANDING,
    )
    batches = tuple(NodeBatch("node", Purchase.ON_DEMAND, ZONES[n % 3], 1, own) for n, own in enumerate(held))
    landing = {zone: _landing(held, place) for place, zone in enumerate(ZONES)}
    return problem, FitSolution(FitStatus.FEASIBLE, "EUR", Decimal(nodes), Decimal(0), batches, landing)


def _landing(held: list[dict[str, int]], lost: int) -> tuple[Landing, ...]:
    """Return where a zone's replicas land: node after node of the other zones, each filled up."""
    waiting = [name for n, own in enumerate(held) if n % 3 == lost for name, count in own.items() for _ in range(count)]
    found = []
    for node in (n for n in range(len(held)) if n % 3 != lost):
        part, waiting = waiting[: ROOM - PER_NODE], waiting[ROOM - PER_NODE :]
        if part:
            found.append(Landing(node, {name: part.count(name) for name in part}))
    return tuple(found)


def main() -> None:
    """Print the figures."""
    zone = Drill("lose zone a", (DrillStep(DrillKind.ZONE, zone="a"),), True)
    before = 0.0
    for nodes in (60, 126, 252, 498):
        problem, solution = fleet(nodes, 60)
        started = time.perf_counter()
        result = play_drill(problem, solution, DrillBook(), zone)
        seconds = time.perf_counter() - started
        grown = f", {seconds / before:.1f} times the fleet of half the size" if before else ""
        peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
        print(
            f"zone lost, {nodes} nodes, {nodes * PER_NODE} replicas: {seconds:.2f} s, {len(result.events)} events, "
            f"{result.mark}, at most {peak:.0f} MiB{grown}"
        )
        before = seconds
    problem, solution = fleet(60, 40)
    pair = Drill("any two", (DrillStep(DrillKind.NODES, count=2),))
    started = time.perf_counter()
    result = play_drill(problem, solution, DrillBook(), pair)
    print(f"worst two of 60 nodes: {time.perf_counter() - started:.2f} s, {result.mark}: {result.searched}")
    book = with_implied(problem, solution, DrillBook(members=dict.fromkeys(ZONES, 1)))
    started = time.perf_counter()
    results = play_book(problem, solution, book)
    print(f"whole book of 60 nodes: {time.perf_counter() - started:.2f} s, {len(results)} drills")


if __name__ == "__main__":
    main()

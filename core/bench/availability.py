"""How long availability takes: journeys over placements of growing size, and sizing of forty workloads.

``./rombel bench availability``: prints milliseconds (best of three), the slack of the figures, and how far sizes lie above
their floor.
"""

from __future__ import annotations

import random
import time
from collections.abc import Callable
from decimal import Decimal
from typing import Any

from rombel.availability import PlacedNode, PlacedWorkload, Placement, evaluate
from rombel.availability.options import Candidate
from rombel.availability.sizing import size
from rombel.model.failure import FailureData
from rombel.model.journey import Among, Block, Journey

ZONES = ("a", "b", "c")
DATA = FailureData()


def timed(work: Callable[[], Any]) -> tuple[float, Any]:
    """Return the shortest of three times in milliseconds, and the result."""
    best, result = float("inf"), None
    for _ in range(3):
        started = time.perf_counter()
        result = work()
        best = min(best, time.perf_counter() - started)
    return 1000 * best, result


def placement(workloads: int, replicas: int, nodes: int, seed: int = 1) -> Placement:
    """Return workloads spread over zones, a handful of each on a node, with room to land in the other zones."""
    rng = random.Random(seed)
    held: list[dict[str, int]] = [{} for _ in range(nodes)]
    for name in range(workloads):
        for _ in range(replicas):
            on = held[rng.randrange(nodes)]
            on[f"w/{name}"] = on.get(f"w/{name}", 0) + 1
    rows = tuple(PlacedNode(ZONES[number % 3], replicas) for number, replicas in enumerate(held))
    arrivals = {}
    for place, zone in enumerate(ZONES):
        lost: dict[str, int] = {}
        for row in rows:
            if row.zone == zone:
                for name, count in row.replicas.items():
                    lost[name] = lost.get(name, 0) + count
        arrivals[zone] = {(place + 1) % 3: lost}
    needed = max(1, replicas * 7 // 10)
    known = {f"w/{name}": PlacedWorkload(f"w/{name}", needed, 375 + name % 3 * 30, 375) for name in range(workloads)}
    return Placement(ZONES, rows, known, arrivals)


def journey(name: str, blocks: list[str], target: str) -> Journey:
    """Return a series of workloads."""
    return Journey(name, Decimal(target), Among(len(blocks), tuple(map(Block, blocks))))


def main() -> None:
    """Print the grid."""
    print("placement                         tables ms   3 journeys ms   within, s a month")
    for workloads, replicas, nodes in ((20, 10, 60), (40, 10, 60), (40, 75, 300), (10, 2000, 300)):
        stands = placement(workloads, replicas, nodes)
        names = list(stands.workloads)
        made, tables = timed(lambda stands=stands: evaluate(stands, DATA))  # type: ignore[misc]
        asked = [journey(f"j{k}", names[k::3], "99.95") for k in range(3)]
        read, results = timed(lambda tables=tables, asked=asked: [tables.result(each) for each in asked])  # type: ignore[misc]
        bound_slack = max(result.bound_slack for result in results) * 2_592_000
        words = f"{workloads} workloads x {replicas} on {nodes}"
        print(f"{words:<32} {made:>10.1f} {read:>15.1f} {bound_slack:>19.4f}")
    print("sizing 40 workloads, 3 journeys   seconds   above floor")
    rng = random.Random(3)
    found = []
    for number in range(40):
        count = rng.randint(3, 24)
        found.append(Candidate(f"w/{number}", count, max(1, -(-count * 7 // 10)), rng.uniform(0.02, 0.2), per_node=2))
    names = [entry.name for entry in found]
    for targets in (("99.99", "99.95", "99.9"), ("99.9955", "99.99", "99.996")):
        asked = [journey(f"j{k}", names[k::3], target) for k, target in enumerate(targets)]
        started = time.perf_counter()
        answer = size(found, asked, [], ZONES, DATA)
        spent = time.perf_counter() - started
        gap = answer.cost / answer.floor - 1 if answer.floor else 0.0
        print(f"{', '.join(targets):<32} {spent:>9.2f} {100 * gap:>12.1f} %")


if __name__ == "__main__":
    main()

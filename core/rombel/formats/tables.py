"""A fit as CSV tables for other tools: pools, and the placement of every workload (RFC 4180)."""

from __future__ import annotations

import csv
import io
from collections import Counter
from collections.abc import Iterable, Sequence
from decimal import ROUND_HALF_EVEN, Decimal

from rombel.formats._cells import guarded
from rombel.formats.problem_json import plain_decimal
from rombel.model.demand import by_member
from rombel.model.fit_problem import FitProblem
from rombel.model.fit_solution import FitSolution
from rombel.model.quantity import HOURS_PER_MONTH


def write_pools_csv(problem: FitProblem, solution: FitSolution) -> str:
    """Return one line for each pool and zone: nodes, the price of one an hour, of all an hour and a month (730 h), currency."""
    prices = {
        (entry.name, offer.purchase, offer.zone): offer.price_per_hour
        for entry in problem.instance_types
        for offer in entry.offers
    }
    counts: Counter[tuple[str, str, str]] = Counter()
    for group in solution.nodes:
        counts[group.instance_type, group.purchase, group.zone] += group.count
    rows = []
    for key, count in sorted(counts.items()):
        hourly = prices[key] * count  # type: ignore[index]
        month = (hourly * HOURS_PER_MONTH).quantize(Decimal("0.01"), ROUND_HALF_EVEN)
        rows.append([*key, count, *map(plain_decimal, (prices[key], hourly, month)), solution.currency])  # type: ignore[index]
    header = ["instance_type", "purchase", "zone", "nodes"]
    header += ["node_price_per_hour", "pool_price_per_hour", "pool_price_per_month", "currency"]
    return _csv(header, rows)


def write_placement_csv(solution: FitSolution) -> str:
    """Return one line for each node and workload on it: node number, type, purchase, zone, workload, replicas.

    Members of a group that was placed as one stand on lines of their own.
    """
    rows: list[list[object]] = []
    number = 0
    for group in solution.nodes:
        for _ in range(group.count):
            placed = sorted(by_member(group.replicas).items())
            rows += [[number, group.instance_type, group.purchase, group.zone, *entry] for entry in placed]
            number += 1
    return _csv(["node", "instance_type", "purchase", "zone", "workload", "replicas"], rows)


def _csv(header: Sequence[str], rows: Iterable[Sequence[object]]) -> str:
    out = io.StringIO(newline="")
    writer = csv.writer(out)
    writer.writerow(header)
    writer.writerows([guarded(cell) for cell in row] for row in rows)
    return out.getvalue()

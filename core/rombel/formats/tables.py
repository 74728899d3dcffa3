"""A fit as CSV tables for other tools: pools, the placement of every workload, autoscaling limits (RFC 4180).

Every line ends with where it comes from (study, price list and so on): a line that was copied elsewhere still says so.
"""

from __future__ import annotations

import csv
import io
from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from decimal import ROUND_HALF_EVEN, Decimal
from typing import Any

from rombel.formats._cells import guarded
from rombel.formats.problem_json import plain_decimal
from rombel.model.demand import Level, by_member
from rombel.model.fit_problem import FitProblem
from rombel.model.fit_solution import FitSolution
from rombel.model.quantity import HOURS_PER_MONTH

About = Mapping[str, str]
"""Where a file comes from, by the name of the column."""


BILL_COLUMNS = (
    "charge",
    "for",
    "purchase",
    "zone",
    "quantity",
    "unit",
    "price",
    "times",
    "amount",
    "currency",
    "price_from",
)
"""Columns of a bill's lines."""


RANGE_COLUMNS = ("name", "carries", "zone", "range", "kept", "needs", "needs_grown", "nodes", "nodes_grown")
"""Columns of an address plan: addresses that are needed and nodes that are carried, now and in what is kept for growth."""


def write_ranges_csv(rows: Iterable[Sequence[object]], about: About) -> str:
    """Return one line for each range of an address plan."""
    return _csv(RANGE_COLUMNS, rows, about)


def write_pools_csv(problem: FitProblem, solution: FitSolution, about: About) -> str:
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
    return _csv(header, rows, about)


def write_limits_csv(limits: Iterable[Mapping[str, Any]], about: About) -> str:
    """Return one line for each pool and zone: fewest and most nodes, those of every level, and what set either end.

    Parameters
    ----------
    limits
        As ``PoolLimit`` in plain values.
    about
        Where they come from.

    """
    header = ["instance_type", "purchase", "zone", "min_nodes", "max_nodes", *(f"nodes_{level}" for level in Level)]
    rows = (
        [row["instance_type"], row["purchase"], row["zone"], row["least"], row["most"]]
        + [row["nodes"].get(level, 0) for level in Level]
        + [row["least_because"], row["most_because"]]
        for row in limits
    )
    return _csv([*header, "min_because", "max_because"], rows, about)


def write_placement_csv(solution: FitSolution, about: About) -> str:
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
    return _csv(["node", "instance_type", "purchase", "zone", "workload", "replicas"], rows, about)


def write_bill_csv(rows: Iterable[Sequence[object]], about: About) -> str:
    """Return one line for each charge of a bill, as ``rombel.ledger.bill_rows`` makes them."""
    return _csv(BILL_COLUMNS, rows, about)


def write_shares_csv(by: str, shares: Iterable[tuple[str, Decimal]], currency: str, about: About) -> str:
    """Return one line for each part of a bill: whose it is, and its amount."""
    return _csv([by, "amount", "currency"], ([name, amount, currency] for name, amount in shares), about)


def write_comparison_csv(columns: Sequence[str], rows: Iterable[Sequence[object]]) -> str:
    """Return plans beside each other as CSV: figures, choices and what was asked otherwise, a column for each plan."""
    return _csv(("part", "what", "unit", *columns), rows, {})


def write_findings_csv(rows: Iterable[Sequence[object]], about: About) -> str:
    """Return findings of pre-flight as CSV: how grave, which rule, when it strikes, what, what fixes it, and who accepted it why."""
    return _csv(("level", "code", "when", "finding", "to_fix_this", "accepted_by", "why"), rows, about)


SWEEP_COLUMNS = ("status", "cost_per_month", "floor_per_month", "currency", "nodes", "pools", "reason", "digest")
"""Columns of a sweep's points after what is chosen and what the future brings."""


def write_sweep_csv(names: Sequence[str], rows: Iterable[Sequence[object]], about: About) -> str:
    """Return one line for each point of a sweep: its number, a column for each of ``names``, and its answer."""
    return _csv(("point", *names, *SWEEP_COLUMNS), rows, about)


def write_trail_csv(rows: Iterable[Sequence[object]]) -> str:
    """Return mutations as CSV: when, who, which, of what, and its input as JSON."""
    return _csv(("at", "who", "action", "subject", "input"), rows, {})


def _csv(header: Sequence[str], rows: Iterable[Sequence[object]], about: About) -> str:
    out = io.StringIO(newline="")
    writer = csv.writer(out)
    writer.writerow([guarded(cell) for cell in (*header, *about)])
    writer.writerows([guarded(cell) for cell in (*row, *about.values())] for row in rows)
    return out.getvalue()

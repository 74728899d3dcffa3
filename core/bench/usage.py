"""How long four weeks of measurements of sixty workloads take: read, laid on one grid, proposed for, forecast.

``./rombel bench usage``: prints seconds and the process's peak memory, at five minutes and at one minute a sample.
"""

from __future__ import annotations

import csv
import io
import json
import resource
import time
from collections.abc import Callable, Iterator
from itertools import pairwise

import numpy as np

from rombel.formats import UsageReading, read_openmetrics, read_range_query, read_usage_csv
from rombel.model.pod import Amounts
from rombel.usage import assemble, forecast, propose

WORKLOADS, DAYS = 60, 28
REPLICAS = {f"shop/w{n}": 4 for n in range(WORKLOADS)}


def samples(step_s: int) -> Iterator[tuple[str, str, np.ndarray, np.ndarray]]:
    """Yield workload, resource, times and values of totals."""
    rng = np.random.default_rng(1)
    times = 1_792_972_800 + np.arange(DAYS * 86_400 // step_s) * step_s
    for n in range(WORKLOADS):
        shape = 1 + 0.5 * np.sin(times / 13_751) + 0.1 * rng.standard_normal(len(times))
        yield f"w{n}", "cpu", times, shape
        yield f"w{n}", "memory", times, shape * 2**30


def wide_csv(step_s: int) -> str:
    """Return the samples as CSV, a column for each series."""
    series = list(samples(step_s))
    out = io.StringIO(newline="")
    writer = csv.writer(out)
    writer.writerow(["time", *(f"shop/{name} {what}" for name, what, _, _ in series)])
    table = np.column_stack([values for _, _, _, values in series])
    for moment, line in zip(series[0][2], table, strict=True):
        writer.writerow([moment, *(f"{value:.5g}" for value in line)])
    return out.getvalue()


def range_query(step_s: int) -> str:
    """Return the samples as the answer of a range query."""
    result = [
        {
            "metric": {"__name__": what, "namespace": "shop", "workload": name},
            "values": [[int(t), f"{v:.5g}"] for t, v in zip(times, values, strict=True)],
        }
        for name, what, times, values in samples(step_s)
    ]
    return json.dumps({"status": "success", "data": {"resultType": "matrix", "result": result}})


def openmetrics(step_s: int) -> str:
    """Return the samples as OpenMetrics text."""
    lines = []
    for what in ("cpu", "memory"):
        lines.append(f"# TYPE {what} gauge")
        for name, own, times, values in samples(step_s):
            if own == what:
                head = f'{what}{{namespace="shop",workload="{name}"}}'
                lines += [f"{head} {v:.5g} {t}" for t, v in zip(times, values, strict=True)]
    return "\n".join([*lines, "# EOF"]) + "\n"


FORMS: tuple[tuple[str, Callable[[int], str], Callable[[str], UsageReading]], ...] = (
    ("csv", wide_csv, read_usage_csv),
    ("range query", range_query, read_range_query),
    ("OpenMetrics", openmetrics, read_openmetrics),
)


def main() -> None:
    """Print the table."""
    print(
        f"{'form':12} {'step':>5} {'MiB':>6} {'samples':>9} {'read s':>7} {'grid s':>7} {'propose s':>9} {'forecast s':>10} {'peak MiB':>8}"
    )
    for step_s in (300, 60):
        for name, write, read in FORMS:
            text = write(step_s)
            marks = [time.perf_counter()]
            reading = read(text)
            marks.append(time.perf_counter())
            found = assemble(reading.series, REPLICAS)
            marks.append(time.perf_counter())
            for workload in REPLICAS:
                cpu, memory = found.usage[workload, "cpu"], found.usage[workload, "memory"]
                propose(Amounts(1000, 2**31), Amounts(), cpu.busiest, memory.busiest)
            marks.append(time.perf_counter())
            for workload in REPLICAS:
                forecast(found.usage[workload, "cpu"].total)
            marks.append(time.perf_counter())
            spans = [after - before for before, after in pairwise(marks)]
            peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
            size = len(text) / 2**20
            print(
                f"{name:12} {step_s:5} {size:6.1f} {reading.samples:9} "
                + " ".join(f"{s:{w}.2f}" for s, w in zip(spans, (7, 7, 9, 10), strict=True))
                + f" {peak:8.0f}"
            )


if __name__ == "__main__":
    main()

"""The invented use of Mareel Line's platform over four weeks, from one seed.

Demand has the shape of sailings: two daily swells, strong Fridays and Sundays, a rising season; positions stream day and
night; on one morning the holiday timetable opened.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from rombel.model.demand import Demand, WorkloadKind
from rombel.model.measured import Measured
from rombel.usage.series import Values

FIRST_S = 1_792_972_800
"""Monday, 26 October 2026, 00:00 UTC."""

WEEKDAYS = (0.86, 0.84, 0.87, 0.95, 1.28, 1.0, 1.2)
"""Monday first: strong Fridays and Sundays."""

_STEADY = ("positions", "platform", "weather")
_NIGHTLY = ("reports/nightly", "payments/reconcile")


@dataclass(frozen=True, slots=True)
class DemoUsage:
    """How much is made: days, seconds between samples, seed."""

    days: int = 28
    step_s: int = 300
    seed: int = 7

    @property
    def times(self) -> Values:
        """Return (T,) the seconds of all samples."""
        return FIRST_S + np.arange(self.days * 86_400 // self.step_s, dtype=np.float64) * self.step_s


def demo_usage(rows: Sequence[Demand], made: DemoUsage | None = None) -> Iterator[Measured]:
    """Yield CPU (cores) and memory (bytes) of every replica of the rows; daemon workloads are left unmeasured."""
    made = made or DemoUsage()
    times = made.times
    for number, row in enumerate(rows):
        if row.kind is WorkloadKind.DAEMON:
            continue
        rng = np.random.default_rng((made.seed, number))
        shape = _shape(row, times, rng)
        # Most requests are guesses that are too big; a few are too small.
        fill = rng.choice([0.3, 0.42, 0.55, 0.7, 1.08], p=[0.25, 0.3, 0.25, 0.15, 0.05])
        memory_fill = rng.choice([0.35, 0.5, 0.65, 0.8, 0.97], p=[0.2, 0.3, 0.25, 0.15, 0.1])
        for replica in range(max(row.replicas, 1)):
            lean = rng.uniform(0.92, 1.08)
            noise = rng.lognormal(0, 0.10, len(times))
            cpu = row.request.cpu_millicores / 1000 * fill * lean * shape * noise
            memory = row.request.memory_bytes * memory_fill * _memory(times, shape, rng)
            gap = rng.integers(0, len(times), 2)
            for start in gap:
                cpu[start : start + 3] = memory[start : start + 3] = np.nan
            pod = f"{row.name}-{replica:02d}"
            labels = {"namespace": row.namespace, "workload": row.name, "pod": pod}
            yield Measured("cpu_cores", labels, False, times, cpu)
            yield Measured("memory_bytes", labels, False, times, memory)


def _shape(row: Demand, times: Values, rng: np.random.Generator) -> Values:
    """Return (T,) the load over its usual high: swells of the day, the week, the season, and the opening."""
    hour = times / 3600 % 24
    day = ((times - FIRST_S) // 86_400).astype(int)
    if row.full_name in _NIGHTLY:
        return np.where((hour >= 1) & (hour < 3.5), 1.0, 0.06)
    shift = rng.uniform(-1.2, 1.2)
    swells = (
        0.22
        + 0.62 * np.exp(-(((hour - 7.6 - shift) / 2.1) ** 2))
        + 0.78 * np.exp(-(((hour - 17.2 + shift) / 2.6) ** 2))
    )
    if row.namespace in _STEADY:
        swells = 0.75 + 0.25 * swells
    week = np.array(WEEKDAYS)[day % 7]
    season = 1 + rng.uniform(0.0004, 0.0022) * day
    opening = np.ones(len(times))
    if row.namespace in ("bookings", "fares", "identity"):
        since = times - (FIRST_S + 16 * 86_400 + 9 * 3600)
        opening += np.where(since >= 0, 0.9 * np.exp(-since / 5400), 0.0)
    # Weather of the day, the same for all; and each workload's own luck.
    weather = np.random.default_rng(3).lognormal(0, 0.045, 400)[day]
    luck = rng.lognormal(0, 0.03, 400)[day]
    result: Values = swells * week * season * opening * weather * luck
    return result


def _memory(times: Values, shape: Values, rng: np.random.Generator) -> Values:
    """Return (T,) memory over its usual level: little of the swell, slow growth between restarts."""
    cycle = rng.integers(5, 12) * 86_400
    grown = ((times - FIRST_S + rng.integers(0, 86_400)) % cycle) / cycle
    result: Values = 0.88 + 0.05 * np.minimum(shape, 1.5) + 0.08 * grown + rng.normal(0, 0.004, len(times))
    return result

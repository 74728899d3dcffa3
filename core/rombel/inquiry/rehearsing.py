"""A rehearsal of a study: its demand through time, how its workloads scale, and the limits that are tried."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import UTC, datetime

import numpy as np

from rombel.availability.placing import start_up_of
from rombel.errors import Fault, InputRefused
from rombel.formats import RehearsalSettings, WorkloadSettings
from rombel.formats.usage_text import value_faults
from rombel.inquiry.size_then_fit import World
from rombel.model.demand import Basis, Demand, Level, WorkloadKind, parted_name
from rombel.model.fit_problem import FitProblem, OfferKey
from rombel.model.fit_solution import FitSolution
from rombel.model.levels import levels_of
from rombel.model.measured import Measured
from rombel.model.rehearsal import Burst, Load, Outage, PoolRange, Rehearsal, RehearsalParams, ReplicaScaling
from rombel.usage.assembling import assemble
from rombel.usage.events import PlannedEvent
from rombel.usage.series import Series
from rombel.usage.shapes import Need, Shape, patterns_without_workload, read_shape

FULL = 1000
"""What a replica bears at full load, in thousandths of itself: every load is told in replicas' worth."""
SAMPLES = 700
"""About as many samples as a screen shows."""
STEP_S = 300


@dataclass(frozen=True, slots=True)
class Scenario:
    """What a planner states of a rehearsal.

    Parameters
    ----------
    words
        Demand through time, see ``rombel.usage.shapes``.
    start_s, days
        When it begins (seconds since 1970, UTC), and how long it lasts.
    bursts, outages
        What is commanded, and what goes wrong.

    """

    words: str
    start_s: int
    days: int
    bursts: tuple[Burst, ...] = ()
    outages: tuple[Outage, ...] = ()


@dataclass(frozen=True, slots=True, eq=False)
class Around:
    """What a rehearsal takes from the study beside its scenario.

    Rows and figures, growth, planned events, measured cores by workload, and by interruptible offer how often an hour a node is taken back.
    """

    world: World
    growth_percent: int = 0
    events: tuple[PlannedEvent, ...] = ()
    measured: Mapping[str, Series] = field(default_factory=dict)
    taken_back: Mapping[OfferKey, float] = field(default_factory=dict)


def rehearsal_of(
    around: Around,
    problem: FitProblem,
    solution: FitSolution,
    scenario: Scenario,
    ranges: Mapping[OfferKey, PoolRange],
) -> Rehearsal:
    """Return what is played.

    Parameters
    ----------
    around, problem, solution
        The study and its fit.
    scenario
        What the planner states.
    ranges
        Limits by offer; one that is not named keeps the nodes that it has.

    Raises
    ------
    InputRefused
        When the words are not understood, name no workload, or the time is none.

    """
    if not 1 <= scenario.days <= 92:
        reason = f"A rehearsal of {scenario.days} days is not played."
        raise InputRefused([Fault("rehearsal.days", "days", reason, "State 1 to 92 days.")])
    shape = read_shape(scenario.words, scenario.start_s)
    rows = {row.full_name: row for row in around.world.rows}
    if unmet := patterns_without_workload(shape, rows):
        reason = f"No workload is named like '{unmet[0]}'."
        raise InputRefused([Fault("shape.pattern", "words", reason, "Name one, such as bookings/api, or bookings/*.")])
    steps = scenario.days * 86_400 // STEP_S
    grid = scenario.start_s, STEP_S, steps
    # A unit of the problem may be several rows that are kept together: each has a load of its own.
    members = {
        unit.name: [(rows[n], times) for n, times in parted_name(unit.name) if n in rows] for unit in problem.workloads
    }
    scaled = {name: [(row, times) for row, times in parts if scales(row)] for name, parts in members.items()}
    return Rehearsal(
        start_s=scenario.start_s,
        step_s=STEP_S,
        steps=steps,
        loads=tuple(load for name, parts in scaled.items() for load in _loads(name, parts, shape, grid, around)),
        scalings={name: _scaling(parts, around.growth_percent) for name, parts in scaled.items() if parts},
        ranges=dict(ranges),
        taken_back=around.taken_back,
        bursts=scenario.bursts,
        outages=scenario.outages,
        start_ups={
            name: math.ceil(max(start_up_of(r, around.world.data) for r, _ in parts))
            for name, parts in members.items()
            if parts
        },
        budgets={
            # Members of a unit go and come together, so that one budget holds for all.
            name: budgets[0]
            for name, parts in members.items()
            if (budgets := [r.budget for r, _ in parts if r.budget])
        },
        priorities={name: max(r.priority for r, _ in parts) for name, parts in members.items() if parts},
        params=_params(around, scenario.days),
    )


def scales(row: Demand) -> bool:
    """Return whether the replicas of a workload follow its load."""
    return row.sizing.basis is not Basis.FIXED and row.kind is not WorkloadKind.DAEMON and row.partitioned is None


def _params(around: Around, days: int) -> RehearsalParams:
    data = around.world.data
    # Whole minutes, and never more samples than are drawn, however many days are played.
    sample = -(-days * 86_400 // SAMPLES // 60) * 60
    return RehearsalParams(
        node_start_s=max(1, round(data.node_start_s)),
        node_start_p95_s=round(data.node_start_p95_s) or None,
        evict_s=round(data.detect_s + data.evict_s),
        place_s=round(data.place_s),
        sample_s=sample,
    )


def _loads(
    name: str, parts: Sequence[tuple[Demand, int]], shape: Shape, grid: tuple[int, int, int], around: Around
) -> Iterator[Load]:
    """Yield the load of each member of a unit, in replicas' worth; a unit carries some replicas of a member."""
    for row, times in parts:
        counts = levels_of(row, around.growth_percent)
        need = Need(*(float(counts[level].wanted) for level in (Level.TROUGH, Level.USUAL, Level.PEAK)))
        aim = row.sizing.target_percent * FULL // 100
        # Not known at a time (a gap of what was measured) is -1: nothing is asked then, and autoscalers see no value of it.
        replicas = shape.replicas(
            row.full_name, need, grid, _needed(row, around.measured.get(row.full_name)), around.events
        )
        values = np.where(np.isnan(replicas), -1, np.rint(np.nan_to_num(replicas) * aim)).astype(np.int64)
        yield Load(name, FULL * times, aim * times, values, row.full_name)


def _needed(row: Demand, cores: Series | None) -> Series | None:
    """Return how many replicas at their target a measured use of CPU is worth; None where it was not measured."""
    if cores is None or not row.request.cpu_millicores:
        return None
    # Cores a replica uses at its target.
    each = row.request.cpu_millicores * row.sizing.target_percent / 100_000
    return Series(cores.start_s, cores.step_s, cores.values / each)


def _scaling(parts: Sequence[tuple[Demand, int]], growth_percent: int) -> ReplicaScaling:
    """Return between how many a unit scales: as many as the member needs that needs most; what states no bound may grow tenfold."""
    least = most = 0
    for row, times in parts:
        counts = levels_of(row, growth_percent)
        low = row.sizing.least if row.sizing.least is not None else 1
        high = row.sizing.most if row.sizing.most is not None else 10 * max(count.replicas for count in counts.values())
        least, most = max(least, -(-low // times)), max(most, -(-high // times))
    return ReplicaScaling(least, max(least, most))


def rehearsal_of_series(
    problem: FitProblem, solution: FitSolution, series: Sequence[Measured], settings: RehearsalSettings
) -> Rehearsal:
    """Return a rehearsal of measured series, without a study.

    Parameters
    ----------
    problem, solution
        What stands at the start.
    series
        CPU or rates of workloads of the problem; others are left out only where they name no workload at all.
    settings
        How they scale. Without limits every pool may grow to twice its nodes.

    Raises
    ------
    InputRefused
        Where a series belongs to no workload, a rate comes without what a replica bears, or nothing is left to play.

    """
    if wrong := [*value_faults(series), *_order_faults(series)]:
        raise InputRefused(wrong)
    found = assemble(series, {w.name: w.replicas for w in problem.workloads})
    faults = [
        Fault("rehearsal.series", "demand", f"{why} ({count}).", "Name a workload of the problem.")
        for why, count in found.left_out.items()
    ]
    asked = {key: use.total for key, use in sorted(found.usage.items()) if key[1] != "memory"}
    bears = {key: _bears(problem, settings, *key) for key in asked}
    faults += [
        Fault(
            "rehearsal.per_replica",
            name,
            f"What a replica of {name} bears is not known.",
            "State per_replica in the settings.",
        )
        for (name, _), each in bears.items()
        if each is None
    ]
    if not asked and not faults:
        faults.append(
            Fault("rehearsal.empty", "demand", "The series hold no CPU and no rates.", "Give cpu or rate columns.")
        )
    if faults:
        raise InputRefused(faults)
    grid, params = next(iter(asked.values())), settings.params
    # Series of odd steps are looked at as often as divides them.
    period = math.gcd(grid.step_s, params.period_s)
    sample = params.sample_s if params.sample_s % period == 0 else 60 * period
    stood = {key: PoolRange(r.least, 2 * r.least) for key, r in ranges_around(solution).items()}
    named = settings.workloads
    return Rehearsal(
        start_s=grid.start_s,
        step_s=grid.step_s,
        steps=len(grid.values),
        loads=tuple(_series_load(key, total, bears[key] or 1.0, settings) for key, total in asked.items()),
        scalings={name: _series_scaling(problem, name, settings) for name, _ in asked},
        ranges=dict(settings.ranges) or stood,
        taken_back=settings.taken_back,
        bursts=settings.bursts,
        outages=settings.outages,
        start_ups={name: entry.start_up_s for name, entry in named.items() if entry.start_up_s is not None},
        budgets={name: entry.budget for name, entry in named.items() if entry.budget is not None},
        priorities={name: entry.priority for name, entry in named.items()},
        params=replace(params, period_s=period, sample_s=sample),
    )


def _order_faults(series: Sequence[Measured]) -> Iterator[Fault]:
    """Yield the series whose times do not rise: which of two values of one moment is meant cannot be told."""
    for entry in series:
        steps = np.diff(entry.times_s)
        if len(steps) and steps.min() <= 0:
            place = int(np.argmax(steps <= 0)) + 1
            when = datetime.fromtimestamp(float(entry.times_s[place]), UTC).isoformat()
            name = "/".join(entry.labels.get(key, "") for key in ("namespace", "workload"))
            reason = f"The times of {name} do not rise: {when} stands twice, or after a later one."
            yield Fault("rehearsal.order", "time", reason, "Sort the lines by time, and keep one value of each moment.")


def _bears(problem: FitProblem, settings: RehearsalSettings, name: str, resource: str) -> float | None:
    """Return what one replica bears of a resource a second: what is stated, else its CPU request in cores; None: it is not known."""
    stated = settings.workloads.get(name, WorkloadSettings()).per_replica
    cpu = next((place for place, entry in enumerate(problem.resources) if entry.startswith("cpu")), None)
    if stated is not None or resource != "cpu" or cpu is None:
        return stated
    return next(w.request[cpu] for w in problem.workloads if w.name == name) / 1000 or None


def _series_load(key: tuple[str, str], total: Series, each: float, settings: RehearsalSettings) -> Load:
    name, resource = key
    own = settings.workloads.get(name, WorkloadSettings())
    values = np.where(np.isnan(total.values), -1, np.rint(np.nan_to_num(total.values) / each * FULL)).astype(np.int64)
    return Load(name, FULL, own.target_percent * FULL // 100, values, resource)


def _series_scaling(problem: FitProblem, name: str, settings: RehearsalSettings) -> ReplicaScaling:
    own = settings.workloads.get(name, WorkloadSettings())
    replicas = next(w.replicas for w in problem.workloads if w.name == name)
    least = 1 if own.least is None else own.least
    return ReplicaScaling(least, max(least, 10 * replicas) if own.most is None else own.most, own.up, own.down)


def ranges_around(solution: FitSolution) -> dict[OfferKey, PoolRange]:
    """Return limits around what stands where nobody stated any: as many nodes as stand at least, one more for an upgrade at most."""
    stood: dict[OfferKey, int] = {}
    for batch in solution.nodes:
        stood[batch.offer] = stood.get(batch.offer, 0) + batch.count
    return {key: PoolRange(count, count + 1) for key, count in stood.items()}

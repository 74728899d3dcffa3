"""A rehearsal as files with which anybody plays it again: settings, and demand through time.

What is asked is handed over as a rate in what one replica bears at full capacity, so that no capacity has to be stated beside it. Of rows that
are kept together, and so are one workload of the problem, the one that wants most replicas at each time stands for all; a rehearsal of such files
scales as this one did, and may serve a little more.
"""

from __future__ import annotations

import csv
import io
from collections.abc import Sequence
from dataclasses import replace
from datetime import UTC, datetime, timedelta

import numpy as np

from rombel.formats.rehearsal_json import RehearsalSettings, WorkloadSettings
from rombel.model.rehearsal import Load, Rehearsal


def settings_of(rehearsal: Rehearsal) -> RehearsalSettings:
    """Return everything that is played beside the demand."""
    loads = _by_workload(rehearsal.loads)
    names = sorted({*loads, *rehearsal.scalings, *rehearsal.start_ups, *rehearsal.budgets, *rehearsal.priorities})
    return RehearsalSettings(
        workloads={name: _workload(rehearsal, name, loads.get(name, [])) for name in names},
        ranges=rehearsal.ranges,
        taken_back=rehearsal.taken_back,
        bursts=rehearsal.bursts,
        outages=rehearsal.outages,
        params=rehearsal.params,
    )


def demand_csv(rehearsal: Rehearsal) -> str:
    """Return what is asked through time: a line a step, a column a workload; an empty cell where nothing is known."""
    loads = _by_workload(rehearsal.loads)
    columns = [_asked(own) for own in loads.values()]
    out = io.StringIO(newline="")
    writer = csv.writer(out)
    writer.writerow(["time", *(f"{name} rate" for name in loads)])
    start = datetime.fromtimestamp(rehearsal.start_s, UTC)
    for step, row in enumerate(zip(*columns, strict=True)):
        when = start + timedelta(seconds=step * rehearsal.step_s)
        writer.writerow([when.isoformat(), *("" if np.isnan(value) else repr(value) for value in row)])
    return out.getvalue()


def _by_workload(loads: Sequence[Load]) -> dict[str, list[Load]]:
    found: dict[str, list[Load]] = {}
    for load in loads:
        found.setdefault(load.workload, []).append(load)
    return found


def _target_percent(loads: Sequence[Load]) -> int:
    return min((100 * load.target // load.capacity for load in loads), default=WorkloadSettings().target_percent)


def _workload(rehearsal: Rehearsal, name: str, loads: Sequence[Load]) -> WorkloadSettings:
    scaling = rehearsal.scalings.get(name)
    stated = WorkloadSettings(
        per_replica=1.0 if loads else None,
        target_percent=_target_percent(loads),
        start_up_s=rehearsal.start_ups.get(name),
        priority=rehearsal.priorities.get(name, 0),
        budget=rehearsal.budgets.get(name),
    )
    if scaling is None:
        return stated
    return replace(stated, least=scaling.least, most=scaling.most, up=scaling.up, down=scaling.down)


def _asked(loads: Sequence[Load]) -> list[float]:
    """Return the replicas' worth at each time, of several loads that which wants most replicas."""
    if len(loads) == 1:
        (load,) = loads
        return [float("nan") if value < 0 else value / load.capacity for value in load.values.tolist()]
    wanted = np.max([np.where(load.values < 0, np.nan, load.values / load.target) for load in loads], axis=0)
    found: list[float] = (wanted * _target_percent(loads) / 100).tolist()
    return found

"""From measured series to the use of each workload."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from rombel.model.measured import Measured
from rombel.usage.matching import resource_of, workload_of
from rombel.usage.workload_usage import Raw, WorkloadUsage, common_grid, gather


@dataclass(frozen=True, slots=True, eq=False)
class Assembled:
    """Use by workload and resource, all on one grid, and the series that belong to nothing known, with why."""

    usage: Mapping[tuple[str, str], WorkloadUsage]
    left_out: Mapping[str, int]


def assemble(series: Iterable[Measured], replicas: Mapping[str, int]) -> Assembled:
    """Return the use of every workload that the series name.

    Parameters
    ----------
    series
        As read.
    replicas
        Stated replicas of the study's workloads, by ``namespace/name``.

    """
    groups: dict[tuple[str, str], list[Raw]] = {}
    left: dict[str, int] = {}
    for entry in series:
        resource, factor = resource_of(entry.metric)
        name, replica = workload_of(entry.labels, replicas)
        # What belongs to nobody is counted by its reason, not dropped.
        why = "" if resource else f"metric '{entry.metric}' measures neither CPU, memory nor arrivals"
        if resource and not name:
            shown = entry.labels.get("workload") or entry.labels.get("pod") or "without labels"
            why = f"'{entry.labels.get('namespace', '?')}/{shown}' is no workload of the study"
        if why:
            left[why] = left.get(why, 0) + 1
            continue
        raw = Raw(entry.times_s, entry.values * factor, entry.counter, replica)
        groups.setdefault((name, resource), []).append(raw)
    if not groups:
        return Assembled({}, left)
    # One grid for everything, so that sums over workloads are sums of the same moments.
    grid = common_grid([entry.times_s for raw in groups.values() for entry in raw])
    usage = {key: gather(raw, replicas[key[0]], grid) for key, raw in groups.items()}
    return Assembled(usage, left)

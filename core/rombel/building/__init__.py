"""From a plan to what stands: the parts of a cluster, what is to be done to them in which order, how long it takes, and what differs."""

from rombel.building.actual import (
    Compared,
    Drift,
    DriftKind,
    Planned,
    PlannedPool,
    PlannedWorkload,
    PoolHealth,
    compare_running,
)
from rombel.building.changes import Change, Doing, change_list, risky
from rombel.building.durations import AT_ONCE, Expected, Span, Times, Work, expected_end, finished_at, share_done
from rombel.building.parts import Part, PartKind, node_key, parts_of, pool_key
from rombel.building.standing import standing_of
from rombel.building.versions import VersionStep, version_steps

__all__ = [
    "AT_ONCE",
    "Change",
    "Compared",
    "Doing",
    "Drift",
    "DriftKind",
    "Expected",
    "Part",
    "PartKind",
    "Planned",
    "PlannedPool",
    "PlannedWorkload",
    "PoolHealth",
    "Span",
    "Times",
    "VersionStep",
    "Work",
    "change_list",
    "compare_running",
    "expected_end",
    "finished_at",
    "node_key",
    "parts_of",
    "pool_key",
    "risky",
    "share_done",
    "standing_of",
    "version_steps",
]

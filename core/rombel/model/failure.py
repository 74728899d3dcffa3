"""How often things fail and how long they are down: failure data with the origin of every figure."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field, replace
from enum import StrEnum
from types import MappingProxyType
from typing import Any

from rombel.errors import Fault, InputRefused, refuse
from rombel.model.fit_problem import Survival
from rombel.model.quantity import DAYS_PER_BUDGET_MONTH

HOURS_PER_YEAR = 8760
"""Of 365 days; availability tables that use 365.25 days differ by a part in 1 461."""

MINUTES_PER_YEAR = 60 * HOURS_PER_YEAR
MINUTES_PER_BUDGET_MONTH = 24 * 60 * DAYS_PER_BUDGET_MONTH
SECONDS_PER_YEAR = 3600 * HOURS_PER_YEAR


def budget_minutes(share: float) -> float:
    """Return the minutes of a budget month that a share of time is."""
    return share * MINUTES_PER_BUDGET_MONTH


def share_of_minutes(minutes: float) -> float:
    """Return the share of time that minutes of a budget month are."""
    return minutes / MINUTES_PER_BUDGET_MONTH


class Origin(StrEnum):
    """Where a figure comes from."""

    COMMON = "common practice, no source"
    MEMORY = "from memory"
    INVENTED = "invented for the demo"
    PROMISED = "promised by the provider"
    STATED = "stated here"


class FailureKind(StrEnum):
    """What can fail on its own; each of them is a failure domain."""

    REPLICA = "replica"
    NODE = "node"
    INTERRUPTED = "interrupted"
    ZONE = "zone"
    REGION = "region"
    MEMBER = "member"


@dataclass(frozen=True, slots=True)
class Failure:
    """How often one thing fails while it works, and how long its repair takes on average.

    Parameters
    ----------
    per_year
        Failures in a year of working, 0 or more.
    repair_s
        Seconds until it works again.
    origin, why
        Where both figures come from, and a word on them.

    """

    per_year: float
    repair_s: float
    origin: Origin = Origin.STATED
    why: str = ""

    @property
    def unavailability(self) -> float:
        """Return the share of time it is down: repair over working time and repair, never by subtracting from one."""
        return self.unavailability_up_to(self.repair_s)

    def unavailability_up_to(self, seconds: float) -> float:
        """Return the share of time since whose failure less than ``seconds`` have passed and it is not repaired yet."""
        # Failures count while it works; over working and repair time the share is the load over one plus the load.
        load = self.per_year / SECONDS_PER_YEAR
        # Only the first seconds of each repair count where somebody waits no longer than that.
        return load * min(seconds, self.repair_s) / (1 + load * self.repair_s)

    def thinned(self, share: float) -> Failure:
        """Return the same with a share of its unavailability, as the beta factor of IEC 61508-6 divides it."""
        return failure_of(self.unavailability * share, self.repair_s, self.origin, self.why)


def failure_of(unavailability: float, repair_s: float, origin: Origin = Origin.STATED, why: str = "") -> Failure:
    """Return the failure data of something whose unavailability is known, from 0 up to but not 1."""
    if not 0 <= unavailability < 1 or repair_s <= 0:
        raise refuse("failure.share", "", "A unavailability is from 0 to below 1.", "State an availability above 0 %.")
    # Solved for the rate: failures happen only while it works.
    return Failure(unavailability / (1 - unavailability) * SECONDS_PER_YEAR / repair_s, repair_s, origin, why)


def _defaults() -> Mapping[FailureKind, Failure]:
    return MappingProxyType(
        {
            FailureKind.REPLICA: Failure(12, 60, Origin.COMMON, "a crash a month, restarted in place"),
            FailureKind.NODE: Failure(0.5, 3600, Origin.COMMON, "once in two years, replaced within the hour"),
            FailureKind.INTERRUPTED: Failure(
                60, 900, Origin.COMMON, "taken back five times a month, replaced when there is stock"
            ),
            FailureKind.ZONE: Failure(
                0.5, 7200, Origin.MEMORY, "public reports tell of a few a decade and provider, hours long"
            ),
            FailureKind.REGION: Failure(
                0.05, 14400, Origin.MEMORY, "rare: configuration and name service more than power"
            ),
            FailureKind.MEMBER: Failure(4, 600, Origin.COMMON, "restarts and upgrades included"),
        }
    )


TIMES = (
    "detect_s",
    "evict_s",
    "place_s",
    "node_start_s",
    "node_start_p95_s",
    "start_up_s",
    "control_plane_s",
    "new_pool_s",
    "new_cluster_s",
)
"""The times of failure data: those until a lost replica serves again in the order in which they pass, then those of a build."""

ORIGINS: Mapping[str, tuple[Origin, str]] = MappingProxyType(
    {
        "zone_beta": (Origin.MEMORY, "handbooks of functional safety use 1 to 10 % for well separated parts"),
        "region_beta": (Origin.MEMORY, "as between zones"),
        "detect_s": (Origin.COMMON, "a node that has been silent so long counts as lost"),
        "evict_s": (Origin.COMMON, "pods tolerate an unreachable node for five minutes where nobody says otherwise"),
        "place_s": (Origin.COMMON, "the scheduler's own time"),
        "node_start_s": (Origin.COMMON, "from the order of a virtual machine to a ready node"),
        "node_start_p95_s": (Origin.COMMON, "one start in twenty takes longer; 0: every start takes the time above"),
        "start_up_s": (Origin.COMMON, "image at hand, process starts, probe passes"),
        "serving_percent": (Origin.COMMON, "replicas sized for 70 % load: the rest then run at full load"),
        "control_plane_s": (Origin.COMMON, "a member of the control plane, or its next version"),
        "new_pool_s": (Origin.COMMON, "from the order of a pool to its first node"),
        "new_cluster_s": (Origin.COMMON, "18 to 45 minutes are usual"),
    }
)
"""Where the defaults of the plain figures come from."""


@dataclass(frozen=True, slots=True)
class FailureData:
    """Everything that availability is computed from beside the plan itself.

    Parameters
    ----------
    failures
        By what fails. A node's failures come on top of its zone's, a zone's on top of its region's.
    zone_beta, region_beta
        Share of a zone's (a region's) downtime in which all zones (all regions) are down at once, 0 to 1.
    detect_s, evict_s, place_s
        Until a lost node is noticed, until its replicas are given up, and until new ones are placed.
    node_start_s
        Until a new node takes replicas.
    node_start_p95_s
        The time that one start of a node in twenty exceeds (lognormal, with ``node_start_s`` as its median); 0: every start takes that.
    start_up_s
        Until a replica serves, where its workload states nothing.
    control_plane_s, new_pool_s, new_cluster_s
        To make a member of the control plane or its next version, a pool, a whole cluster.
    serving_percent
        Share of a workload's replicas that must serve where it states nothing; a stateful one then needs a majority.
    origins
        Where the plain figures come from, by name, and a word on each.

    """

    failures: Mapping[FailureKind, Failure] = field(default_factory=_defaults)
    zone_beta: float = 0.05
    region_beta: float = 0.05
    detect_s: float = 40
    evict_s: float = 300
    place_s: float = 5
    node_start_s: float = 180
    start_up_s: float = 30
    serving_percent: int = 70
    node_start_p95_s: float = 0
    control_plane_s: float = 600
    new_pool_s: float = 420
    new_cluster_s: float = 1800
    origins: Mapping[str, tuple[Origin, str]] = field(default_factory=lambda: ORIGINS)

    def faults(self) -> Iterator[Fault]:
        """Yield what is wrong, each with the name of its field."""
        for thing, failure in self.failures.items():
            if not 0 <= failure.per_year <= 1_000_000:
                yield Fault(
                    "failure.rate", f"{thing}.per_year", "Failures a year are from 0 to 1000000.", "Write 0 for never."
                )
            if not 0 < failure.repair_s <= SECONDS_PER_YEAR:
                yield Fault(
                    "failure.repair", f"{thing}.repair_s", "A repair takes from a second to a year.", "Write seconds."
                )
        for name in ("zone_beta", "region_beta"):
            if not 0 <= getattr(self, name) <= 1:
                yield Fault("failure.beta", name, "A common share is from 0 to 1.", "Write 0 where nothing is common.")
        for name in TIMES:
            if not 0 <= getattr(self, name) <= 86_400:
                yield Fault("failure.time", name, "A time is from 0 s to a day.", "Write seconds.")
        if not 1 <= self.serving_percent <= 100:
            yield Fault(
                "failure.serving", "serving_percent", "The share that must serve is from 1 to 100 %.", "Write 70, say."
            )

    @property
    def landing_s(self) -> float:
        """Return how long until a lost replica is placed again where room is kept free."""
        return self.detect_s + self.evict_s + self.place_s

    @property
    def growing_s(self) -> float:
        """Return how long until a lost replica is placed again on a new node."""
        return self.landing_s + self.node_start_s

    def window_s(self, how: Survival, start_up_s: float) -> float:
        """Return how long a lost replica is down until it serves elsewhere; infinite where it waits for the repair."""
        # Standing replicas serve at once, and what waits for the repair has no window of its own.
        return {Survival.LANDING: self.landing_s, Survival.GROWING: self.growing_s}.get(how, math.inf) + start_up_s

    def overlaid(self, stated: Mapping[str, Any], origin: Origin = Origin.STATED) -> FailureData:
        """Return the same with some figures stated anew.

        Parameters
        ----------
        stated
            By thing ``{"per_year": ..., "repair_s": ...}``, and plain figures by name.
        origin
            Of what is stated.

        Raises
        ------
        InputRefused
            With every figure that is out of range or unknown.

        """
        known = {str(thing): thing for thing in FailureKind}
        unknown = [name for name in stated if name not in known and name not in ORIGINS]
        # What is not stated keeps its figure and where that came from.
        failures, plain = dict(self.failures), {name: stated[name] for name in stated if name in ORIGINS}
        for name, thing in known.items():
            if name in stated:
                entry = stated[name]
                failures[thing] = Failure(
                    float(entry["per_year"]), float(entry["repair_s"]), origin, entry.get("why", "")
                )
        origins = {**self.origins, **dict.fromkeys(plain, (origin, ""))}
        made = replace(self, failures=failures, origins=origins, **plain)
        faults = [
            Fault("failure.name", name, f"'{name}' is no failure figure.", "Name one of them.") for name in unknown
        ]
        # All faults together, so that one look is enough.
        if faults := [*faults, *made.faults()]:
            raise InputRefused(faults)
        return made

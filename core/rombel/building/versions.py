"""Which versions a cluster may go to next."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass
from datetime import date

from rombel.model.build import Version, most_behind


@dataclass(frozen=True, slots=True)
class VersionStep:
    """A version that is sold and newer than what runs; why it may not be gone to now (empty: it may), and when it ends."""

    version: Version
    why_not: str
    ends: date | None


def version_steps(
    now: Version, nodes: Collection[Version], sold: Mapping[Version, date | None], today: date
) -> tuple[VersionStep, ...]:
    """Return the newer versions that are sold, the nearest first.

    A control plane goes one minor at a time, and nodes stay within what it bears. Source: Kubernetes documentation, "Version Skew
    Policy", from memory.
    """
    return tuple(
        VersionStep(version, _why_not(now, version, nodes, ends, today), ends)
        for version, ends in sorted(sold.items())
        if version > now
    )


def _why_not(now: Version, to: Version, nodes: Collection[Version], ends: date | None, today: date) -> str:
    steps = now.steps_to(to)
    if steps is None:
        return "the major version changes: it is built beside"
    if steps > 1:
        return f"a control plane goes one minor at a time: {now.major}.{now.minor + 1} comes first"
    oldest = min(nodes, default=now)
    behind = oldest.steps_to(to)
    if behind is not None and behind > most_behind(to):
        return f"nodes of {oldest} would be {behind} minors behind: bring them up first"
    return f"it is not mended any more since {ends}" if ends is not None and ends < today else ""

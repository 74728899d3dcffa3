"""The control plane: a majority of its members over the zones, apart from serving."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from itertools import product

from rombel.availability.counts import fewer_up
from rombel.availability.domains import own_failure, region_unavailability
from rombel.model.failure import FailureData, FailureKind


def majority(members: int) -> int:
    """Return how many of so many members are more than half."""
    return members // 2 + 1


def quorum_unavailability(members: Sequence[int], zone_share: float, member_share: float) -> float:
    """Return the probability that no majority stands.

    Parameters
    ----------
    members
        By zone, how many stand there.
    zone_share, member_share
        Probability that a zone is down; that a member is down while its zone is not.

    """
    needed = majority(sum(members))
    unavailability = 0.0
    # Every set of lost zones; those are few, and members fail inside them by themselves.
    for lost in product((False, True), repeat=len(members)):
        weight = zone_share ** sum(lost) * (1 - zone_share) ** (len(members) - sum(lost))
        left = sum(count for count, gone in zip(members, lost, strict=True) if not gone)
        unavailability += weight * fewer_up(left, needed, member_share)
    return unavailability


@dataclass(frozen=True, slots=True)
class Plane:
    """Where the members of the control plane stand.

    Parameters
    ----------
    members
        How many.
    zones
        Zones of the region.
    spans_zones
        Whether they stand in different zones, or all in the first.
    promised
        Share of time in which its API may be down by the tier's own promise; None: no promise.

    """

    members: int
    zones: tuple[str, ...]
    spans_zones: bool
    promised: float | None = None

    def by_zone(self) -> dict[str, int]:
        """Return how many members stand in each zone."""
        if not self.spans_zones:
            return {zone: self.members if index == 0 else 0 for index, zone in enumerate(self.zones)}
        # The first zones get the members that do not divide evenly.
        each, more = divmod(self.members, max(1, len(self.zones)))
        return {zone: each + (index < more) for index, zone in enumerate(self.zones)}

    def lost_with_zones(self) -> frozenset[str]:
        """Return the zones of which each alone takes the majority with it."""
        needed = majority(self.members)
        return frozenset(zone for zone, count in self.by_zone().items() if self.members - count < needed)

    def unavailability(self, data: FailureData) -> float:
        """Return the share of time in which no majority stands, region and common causes included."""
        member = data.failures[FailureKind.MEMBER].unavailability
        inside = quorum_unavailability(list(self.by_zone().values()), own_failure(data).unavailability, member)
        whole = region_unavailability(data)
        return whole + (1 - whole) * inside

    def surprises(self, data: FailureData) -> Iterator[str]:
        """Yield a sentence for each place where intuition fails."""
        needed, lost = majority(self.members), self.members - majority(self.members)
        if self.members % 2 == 0:
            yield (
                f"{self.members} members need {needed} and survive {_losses(lost)}, no more than {self.members - 1} do, "
                "and there is one more that can fail."
            )
        holders = [zone for zone, count in self.by_zone().items() if count]
        if self.members > 1 and len(holders) == 2:
            yield (
                f"Over two zones one of them, {holders[0]}, holds the majority: losing it stops the plane, so two zones "
                "are never better than one zone alone. A third zone with a single member fixes that."
            )
        if self.members > 1 and len(holders) == 1 and len(self.zones) > 1:
            yield f"All {self.members} members stand in {holders[0]}: more of them do not help when that zone is lost."
        blind = sorted(self.lost_with_zones())
        if blind and len(self.zones) > 1:
            yield f"With {' or '.join(blind)} lost nothing lands or grows, as that takes the majority too."
        if self.members == 5 and self.spans_zones and len(self.zones) == 3:
            yield "5 members over three zones survive a zone and one member more; 3 members survive a zone and nothing more."


def _losses(count: int) -> str:
    return {0: "no loss", 1: "one loss"}.get(count, f"{count} losses")

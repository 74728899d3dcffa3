"""Ranges that a cluster has today: what is wrong with them, how many nodes they allow, and the least change that reaches the plan."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import cast

from rombel.addressing.allocation import FreeSpace
from rombel.addressing.needs import Addresses, RegionNeed, Role, Want, bits_of, range_name, wants_of
from rombel.addressing.plan import Ceiling, ceilings
from rombel.addressing.reading import Network, overlaps
from rombel.addressing.sizes import prefix_for
from rombel.errors import Fault


@dataclass(frozen=True, slots=True)
class TodayRange:
    """A range that is there: what it carries, and in which zone (empty: in all)."""

    role: Role
    zone: str
    range: Network

    @property
    def name(self) -> str:
        """Return what it is called."""
        return range_name(self.role, self.zone)


@dataclass(frozen=True, slots=True)
class Change:
    """One change: ``was`` is widened to ``range`` where it is, or (None) ``range`` is added; ``because`` says what it is for."""

    role: Role
    zone: str
    was: Network | None
    range: Network
    because: str

    @property
    def name(self) -> str:
        """Return what the range is called."""
        return range_name(self.role, self.zone)


@dataclass(frozen=True, slots=True)
class TodayCheck:
    """What is wrong with today's ranges, the most nodes they allow, and what would reach the plan; ``missing`` has no room in the parent."""

    faults: tuple[Fault, ...]
    ceilings: tuple[Ceiling, ...]
    changes: tuple[Change, ...]
    missing: tuple[Want, ...]


def check_today(stated: Addresses, need: RegionNeed, today: Sequence[TodayRange]) -> TodayCheck:
    """Return what today's ranges of the first parent's family are good for.

    The least change: nothing moves. What is too small is widened where it is, if the addresses beside it are free; otherwise the smallest range
    that carries what is missing is added.
    """
    parent = stated.parents[0]
    own = [entry for entry in today if entry.range.version == parent.version]
    faults = _faults(stated, parent, own)
    wants = {(want.role, want.zone): want for want in wants_of(stated, need, parent.version)}
    held: dict[tuple[Role, str], list[Network]] = {place: [] for place in wants}
    for entry in own:
        held.setdefault((entry.role, entry.zone), []).append(entry.range)
    found = ceilings((want, held[place]) for place, want in wants.items())
    space = FreeSpace(parent, [*(used.range for used in stated.used), *(entry.range for entry in own)])
    changes, missing = [], []
    for place, want in wants.items():
        if want.carried_by(held[place]) >= _aim(want):
            continue
        change = _change(want, held[place], space, parent)
        if change is None:
            missing.append(want)
        else:
            changes.append(change)
    return TodayCheck(tuple(faults), found, tuple(changes), tuple(missing))


def _aim(want: Want) -> int:
    """Return what has to be carried: nodes, or addresses where no nodes take them."""
    return (want.grown - want.fixed) // want.each if want.each else want.grown


def _change(want: Want, ranges: Sequence[Network], space: FreeSpace, parent: Network) -> Change | None:
    bits, lacks = bits_of(parent.version), _aim(want) - want.carried_by(ranges)
    words = f"for {lacks} more nodes" if want.each else f"for {lacks} more addresses"
    for was in sorted(ranges, key=lambda each: each.prefixlen):
        for prefix in range(was.prefixlen - 1, parent.prefixlen - 1, -1):
            wider = was.supernet(new_prefix=prefix)
            others = [each for each in ranges if each != was]
            if want.carried_by([*others, wider]) >= _aim(want):
                # Widened in place its first address stays; all that it grows by has to be free.
                grows = cast("list[Network]", list(wider.address_exclude(was)))  # type: ignore[arg-type]
                if wider.network_address == was.network_address and all(space.holds(each) for each in grows):
                    space.drop(wider)
                    return Change(want.role, want.zone, was, wider, words)
                break
    addresses = lacks * want.each + want.fixed if want.each else lacks
    prefix = prefix_for(addresses, bits)
    added = space.take(prefix) if prefix >= 0 else None
    return None if added is None else Change(want.role, want.zone, None, added, words)


def _faults(stated: Addresses, parent: Network, own: Sequence[TodayRange]) -> list[Fault]:
    faults = [
        Fault(
            "addresses.outside",
            "today",
            f"{entry.name} {entry.range} lies outside the parent {parent}.",
            "Name a parent that holds it, or take it out.",
        )
        for entry in own
        if not entry.range.subnet_of(parent)  # type: ignore[arg-type]
    ]
    ours = [(f"{entry.name} {entry.range}", entry.range) for entry in own]
    others = [(f"{used.name or 'in use'} {used.range}", used.range) for used in stated.used]
    names = {name for name, _ in ours}
    # What others use among themselves is not ours to mend.
    return faults + [
        Fault("addresses.overlap", "today", f"{one} and {other} overlap.", "Move one of them, or take it out.")
        for one, other in overlaps([*ours, *others])
        if one in names or other in names
    ]

"""Ranges that a cluster has today: what is wrong with them, how many nodes they allow, and the least change that reaches the plan."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import cast

from rombel.addressing.allocation import FreeSpace
from rombel.addressing.needs import Addresses, RegionNeed, Role, Want, bits_of, wants_of
from rombel.addressing.plan import Ceiling, ceilings, overlap_faults
from rombel.addressing.reading import Network
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
        return f"{self.zone} {self.role}".strip()


@dataclass(frozen=True, slots=True)
class Change:
    """One change: ``was`` is widened to ``range`` where it is, or (None) ``range`` is added; ``because`` says what it is for."""

    role: Role
    zone: str
    was: Network | None
    range: Network
    because: str


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
    known = {want.name: (want, held[place]) for place, want in wants.items() if held[place]}
    found = ceilings(known, [want for place, want in wants.items() if want.each and not held[place]])
    space = FreeSpace(parent, [*(used.range for used in stated.used), *(entry.range for entry in own)])
    changes, missing = [], []
    for place, want in wants.items():
        if _carried(want, held[place]) >= _aim(want):
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


def _carried(want: Want, ranges: Sequence[Network]) -> int:
    if not want.each:
        return sum(each.num_addresses for each in ranges)
    return sum(want.nodes_in(each.num_addresses) or 0 for each in ranges)


def _change(want: Want, ranges: Sequence[Network], space: FreeSpace, parent: Network) -> Change | None:
    bits, lacks = bits_of(parent.version), _aim(want) - _carried(want, ranges)
    words = f"for {lacks} more nodes" if want.each else f"for {lacks} more addresses"
    for was in sorted(ranges, key=lambda each: each.prefixlen):
        for prefix in range(was.prefixlen - 1, parent.prefixlen - 1, -1):
            wider = was.supernet(new_prefix=prefix)
            others = [each for each in ranges if each != was]
            if _carried(want, [*others, wider]) >= _aim(want):
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
    named = [(f"{entry.name} {entry.range}", entry.range) for entry in own]
    named += [(f"{used.name or 'in use'} {used.range}", used.range) for used in stated.used]
    ours = {name for name, _ in named[: len(own)]}
    # What others use among themselves is not ours to mend.
    return faults + [fault for fault in overlap_faults(named, "today") if any(name in fault.reason for name in ours)]

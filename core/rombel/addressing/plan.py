"""The address plan of a region: every range that it needs, taken from its parent, and the most nodes it allows."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import cast

from rombel.addressing.allocation import FreeSpace
from rombel.addressing.needs import Addresses, RegionNeed, Role, Want, bits_of, prefixes, wants_of
from rombel.addressing.reading import Network, overlaps
from rombel.addressing.sizes import power_of_two, prefix_for
from rombel.errors import Fault


@dataclass(frozen=True, slots=True)
class PlannedRange:
    """A range of a plan.

    Parameters
    ----------
    want
        What it is for.
    range, kept
        The range now, and what it can grow into without moving: ``kept`` begins where it begins, and is itself where nothing is kept.

    """

    want: Want
    range: Network
    kept: Network

    @property
    def name(self) -> str:
        """Return what it is called."""
        return self.want.name

    @property
    def nodes(self) -> int | None:
        """Return how many nodes it carries; None: nodes take none of it."""
        return self.want.nodes_in(self.range.num_addresses)

    @property
    def nodes_grown(self) -> int | None:
        """Return how many it carries once it has grown into what is kept."""
        return self.want.nodes_in(self.kept.num_addresses)


@dataclass(frozen=True, slots=True)
class Ceiling:
    """The most nodes that ranges allow in a zone, surge included, and the name of the range that decides it."""

    zone: str
    nodes: int
    decided_by: str


@dataclass(frozen=True, slots=True)
class AddressPlan:
    """Ranges of one family, what stays free of the parent, what found no place, and the most nodes by zone now and grown."""

    parent: Network
    ranges: tuple[PlannedRange, ...]
    free: tuple[Network, ...]
    missing: tuple[Want, ...]
    ceilings: tuple[Ceiling, ...]
    ceilings_grown: tuple[Ceiling, ...]
    faults: tuple[Fault, ...] = ()

    @property
    def nodes(self) -> int:
        """Return the most nodes of the region."""
        return sum(ceiling.nodes for ceiling in self.ceilings)


def address_plan(stated: Addresses, need: RegionNeed) -> list[AddressPlan]:
    """Return the plan of a region, for each family that has a parent.

    Every range is the smallest power of two that holds what it needs, with room to grow into beside it. Ranges are taken zone by zone in the
    order of the zones, so that one more zone at the end moves none of the others. What found no place is told; then no choice of places would
    have had room for all of it, as long as what was placed stays as large.
    """
    return [_family(stated, need, parent) for parent in stated.parents]


def _family(stated: Addresses, need: RegionNeed, parent: Network) -> AddressPlan:
    space = FreeSpace(parent, (used.range for used in stated.used))
    ranges, missing = [], []
    for want in wants_of(stated, need, parent.version):
        now, grown = prefixes(want, parent.version)
        kept = space.take(grown) if grown >= 0 else None
        if kept is None:
            missing.append(want)
        else:
            ranges.append(PlannedRange(want, cast("Network", next(iter(kept.subnets(new_prefix=now)))), kept))
    faults = [_full(stated, need, parent, missing)] if missing else []
    return AddressPlan(
        parent,
        tuple(ranges),
        tuple(space.free),
        tuple(missing),
        ceilings({name: (r.want, [r.range]) for name, r in _by_name(ranges)}, missing),
        ceilings({name: (r.want, [r.kept]) for name, r in _by_name(ranges)}, missing),
        tuple(faults),
    )


def _by_name(ranges: Iterable[PlannedRange]) -> list[tuple[str, PlannedRange]]:
    return [(entry.name, entry) for entry in ranges]


def ceilings(ranges: Mapping[str, tuple[Want, Sequence[Network]]], missing: Sequence[Want] = ()) -> tuple[Ceiling, ...]:
    """Return by zone the most nodes that its ranges allow; the smallest decides, a range that is missing allows none.

    Of several ranges for the same, each loses its own addresses and each node takes all of its block from one of them.
    """
    found: dict[str, Ceiling] = {}
    counts = [(want, sum(want.nodes_in(each.num_addresses) or 0 for each in own)) for want, own in ranges.values()]
    for want, nodes in [*counts, *((want, 0) for want in missing)]:
        if want.each and (want.zone not in found or nodes < found[want.zone].nodes):
            found[want.zone] = Ceiling(want.zone, nodes, want.name)
    return tuple(found.values())


def _full(stated: Addresses, need: RegionNeed, parent: Network, missing: Sequence[Want]) -> Fault:
    names = ", ".join(want.name for want in missing[:3]) + (f" and {len(missing) - 3} more" if len(missing) > 3 else "")
    bits = bits_of(parent.version)
    whole = sum(power_of_two(want.grown) for want in wants_of(stated, need, parent.version))
    holds = prefix_for(whole, bits)
    fix = f"An unused parent of /{holds} holds all of it." if holds >= 0 else "No range of this family holds all of it."
    if holds >= parent.prefixlen:
        fix = "Ranges in use leave no room that is whole enough: free one of them, or name another parent."
    return Fault("addresses.full", "parent", f"{parent} has no room for {names}.", fix)


def statement_faults(stated: Addresses) -> list[Fault]:
    """Return what is wrong with what is stated: two parents of a family, a parent that is in use, amounts out of bounds."""
    faults = []
    for version in (4, 6):
        own = [parent for parent in stated.parents if parent.version == version]
        if len(own) > 1:
            reason = f"{own[0]} and {own[1]} are both parents of IPv{version}."
            faults.append(Fault("addresses.parents", "parent", reason, "State one; the other can be named in use."))
        for parent in own:
            around = next(
                (u for u in stated.used if u.range.version == version and parent.subnet_of(u.range)),  # type: ignore[arg-type]
                None,
            )
            if around is not None:
                words = f"{around.range} ({around.name})" if around.name else str(around.range)
                reason = f"All of {parent} is in use by {words}."
                faults.append(Fault("addresses.used", "parent", reason, "Name another parent, or take that range out."))
    return faults


def overlap_faults(named: Iterable[tuple[str, Network]], path: str) -> list[Fault]:
    """Return a fault for each pair of ranges of which one lies in the other."""
    return [
        Fault("addresses.overlap", path, f"{one} and {other} overlap.", "Move one of them, or take it out.")
        for one, other in overlaps(named)
    ]


__all__ = [
    "AddressPlan",
    "Ceiling",
    "PlannedRange",
    "Role",
    "address_plan",
    "ceilings",
    "overlap_faults",
    "statement_faults",
]

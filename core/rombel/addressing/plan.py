"""The address plan of a region: every range that it needs, taken from its parent, and the most nodes it allows."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import cast

from rombel.addressing.allocation import FreeSpace
from rombel.addressing.needs import Addresses, RegionNeed, Want, bits_of, prefixes, wants_of
from rombel.addressing.reading import Network
from rombel.addressing.sizes import power_of_two, prefix_for
from rombel.errors import Fault
from rombel.model.words import some


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
        # Taken at its grown size, and used from its beginning: then it grows where it lies.
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
        # What found no place carries no node, and has to show in the ceiling of its zone.
        ceilings([*((r.want, [r.range]) for r in ranges), *((want, []) for want in missing)]),
        ceilings([*((r.want, [r.kept]) for r in ranges), *((want, []) for want in missing)]),
        tuple(faults),
    )


def ceilings(ranges: Iterable[tuple[Want, Sequence[Network]]]) -> tuple[Ceiling, ...]:
    """Return by zone the most nodes that its ranges allow; the smallest decides, and where there is no range there is no node.

    Of several ranges for the same, each loses its own addresses and each node takes all of its block from one of them.
    """
    found: dict[str, Ceiling] = {}
    for want, own in ranges:
        nodes = want.carried_by(own)
        if want.each and (want.zone not in found or nodes < found[want.zone].nodes):
            found[want.zone] = Ceiling(want.zone, nodes, want.name)
    return tuple(found.values())


def _full(stated: Addresses, need: RegionNeed, parent: Network, missing: Sequence[Want]) -> Fault:
    bits = bits_of(parent.version)
    whole = sum(power_of_two(want.grown) for want in wants_of(stated, need, parent.version))
    holds = prefix_for(whole, bits)
    fix = f"An unused parent of /{holds} holds all of it." if holds >= 0 else "No range of this family holds all of it."
    if holds >= parent.prefixlen:
        fix = "Ranges in use leave no room that is whole enough: free one of them, or name another parent."
    return Fault("addresses.full", "parent", f"{parent} has no room for {some([want.name for want in missing])}.", fix)


def statement_faults(stated: Addresses) -> list[Fault]:
    """Return what is wrong with what is stated: two parents of a family, a parent that is in use."""
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

"""What a variant pays beside its nodes: which disk every node has, and which fees of the price list count, by what."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping
from datetime import date
from decimal import Decimal
from typing import Any

from catalogue.listed import listed
from catalogue.models import Disk, Offer, Region
from rombel.errors import Fault
from rombel.model.beside import BesideCost, Per, count_faults, root_disk
from studies.models import Variant

MOST_GIB = 65_536


def node_disks(region: Region) -> list[Disk]:
    """Return the disks of a region's price list that stand on nodes."""
    return listed(region).disks_of("node")


def zonal_disks(region: Region) -> list[Disk]:
    """Return the disks of a region's price list that stand in a zone, for volumes."""
    return listed(region).disks_of("zone")


def _named(disks: Iterable[Disk], name: str) -> Disk | None:
    return next((disk for disk in disks if disk.name == name), None)


def volume_disk(variant: Variant) -> Disk | None:
    """Return the disk that a variant's zonal volumes are; None where none is counted."""
    name = variant.beside.get("volume", "")
    return _named(zonal_disks(variant.region), name) if variant.region and name else None


def beside_of(variant: Variant, region: Region, convert: Callable[[Decimal], Decimal]) -> tuple[BesideCost, ...]:
    """Return what is paid beside nodes in a region, in the study's currency; what its price list does not sell is not paid there."""
    stated = variant.beside
    found = []
    disk = _named(node_disks(region), stated.get("disk", "")) if stated.get("disk_gib") else None
    if disk is not None:
        found.append(root_disk(disk.name, stated["disk_gib"], convert(disk.price_per_gib_month)))
    # In the list's order, as the names become part of a problem's text.
    counted = stated.get("fees", {})
    for fee in (each for each in listed(region).fees if each.name in counted):
        own = counted[fee.name]
        found.append(BesideCost(fee.name, fee.unit, convert(fee.price), Per(own["per"]), own["count"]))
    return tuple(found)


def left_out(variant: Variant) -> list[str]:
    """Return the fees of the price list that the variant does not count, and its node disks where it counts none."""
    if variant.region is None:
        return []
    region, stated = variant.region, variant.beside
    fees = [fee.name for fee in listed(region).fees if fee.name not in stated.get("fees", {})]
    disk = [] if stated.get("disk_gib") or not node_disks(region) else ["root disks"]
    volumes = variant.study.workloads.filter(pod__volumes__0__isnull=False).exists()
    # A study without volumes is not told that it counts none.
    zonal = ["zonal volumes"] if volumes and not stated.get("volume") and zonal_disks(region) else []
    return disk + zonal + fees


def normal(beside: Mapping[str, Any]) -> dict[str, Any]:
    """Return what is stated with every default filled in; nothing where nothing is counted."""
    fees = {name: {"per": own["per"], "count": own.get("count", 1)} for name, own in beside.get("fees", {}).items()}
    disk = {"disk": beside.get("disk", ""), "disk_gib": beside["disk_gib"]} if beside.get("disk_gib") else {}
    held = {name: dict(beside[name]) for name in ("held", "held_until") if beside.get(name)}
    trial = {"trial_ends": beside["trial_ends"]} if beside.get("trial_ends") else {}
    volume = {"volume": beside["volume"]} if beside.get("volume") else {}
    return disk | volume | ({"fees": fees} if fees else {}) | held | trial


PLAIN: Mapping[str, Any] = {"disk": "", "disk_gib": 0, "volume": "", "trial_ends": ""}
"""What is stated as one value, where nothing is counted."""
BY_NAME = ("fees", "held", "held_until")
"""What is stated by name, an entry each."""


def merged_beside(before: Mapping[str, Any], given: Mapping[str, Any]) -> dict[str, Any]:
    """Return what is stated once a change is made.

    What is not given stays, so that two people who state different things at once both have theirs. Of what is stated by name only
    the entries given change; None takes one away. The day on which a commitment ends goes with the commitment.
    """
    after = {**before, **given}
    for part in BY_NAME:
        entries = {**before.get(part, {}), **given.get(part, {})}
        after[part] = {name: own for name, own in entries.items() if own is not None}
    # A day that is given without a commitment is left for whoever looks for faults.
    lasting = {*after["held"], *given.get("held_until", {})}
    after["held_until"] = {name: day for name, day in after["held_until"].items() if name in lasting}
    return after


def replacing(before: Mapping[str, Any], wanted: Mapping[str, Any]) -> dict[str, Any]:
    """Return the change that leads from one statement to another, what only the first one has taken away."""
    by_name = {part: dict.fromkeys(before.get(part, {})) | wanted.get(part, {}) for part in BY_NAME}
    return {**PLAIN, **wanted, **by_name}


def beside_faults(beside: Mapping[str, Any], region: Region | None) -> Iterator[Fault]:
    """Yield what is wrong with what is stated: names that the price list lacks, fees that cannot be counted so."""
    if not beside:
        return
    yield from _day_faults(beside)
    if region is None:
        yield Fault("supply.region", "beside", "No region is chosen.", "Choose a region under Supply.")
        return
    gib = beside.get("disk_gib", 0)
    disks = [disk.name for disk in node_disks(region)]
    if gib and beside.get("disk") not in disks:
        reason = f"There is no node disk '{beside.get('disk', '')}'."
        yield Fault("ledger.disk", "beside.disk", reason, f"Name one of {', '.join(disks) or 'another provider'}.")
    if not 0 <= gib <= MOST_GIB:
        yield Fault("ledger.disk", "beside.disk_gib", f"A root disk has no {gib} GiB.", f"State 0 to {MOST_GIB}.")
    volume, zonal = beside.get("volume", ""), [disk.name for disk in zonal_disks(region)]
    if volume and volume not in zonal:
        fix = f"Name one of {', '.join(zonal) or 'another provider'}."
        yield Fault("ledger.volume", "beside.volume", f"There is no zonal volume '{volume}'.", fix)
    fees = {fee.name: fee.unit for fee in listed(region).fees}
    for name, own in beside.get("fees", {}).items():
        path = f"beside.fees.{name}"
        if name not in fees:
            yield Fault(
                "ledger.fee", path, f"The price list has no fee '{name[:80]}'.", f"Name one of {', '.join(fees)}."
            )
        else:
            yield from count_faults(name, fees[name], own["per"], own["count"], path)
    yield from _held_faults(beside.get("held", {}), region)


def _day_faults(beside: Mapping[str, Any]) -> Iterator[Fault]:
    ends = {f"beside.held_until.{name}": day for name, day in beside.get("held_until", {}).items()}
    if beside.get("trial_ends"):
        ends["beside.trial_ends"] = beside["trial_ends"]
    for path, day in ends.items():
        try:
            date.fromisoformat(day)
        except ValueError:
            yield Fault("ledger.day", path, f"'{day}' is no day.", "Write it such as 2027-06-30.")
    for name in beside.get("held_until", {}):
        if name not in beside.get("held", {}):
            reason = f"No node of '{name[:80]}' is committed to, so that no commitment of it ends."
            yield Fault("ledger.held", f"beside.held_until.{name}", reason, "Say how many there are, or no day.")


def commitment_ends(beside: Mapping[str, Any]) -> dict[str, date]:
    """Return the day on which the commitment to nodes of an instance type ends, where it is known."""
    return {name: date.fromisoformat(day) for name, day in beside.get("held_until", {}).items()}


def trial_end(beside: Mapping[str, Any]) -> date | None:
    """Return the day on which a trial ends; None: it is none."""
    return date.fromisoformat(beside["trial_ends"]) if beside.get("trial_ends") else None


def _held_faults(held: Mapping[str, int], region: Region) -> Iterator[Fault]:
    offered = _offered(region) if held else set()
    for name in held:
        if name not in offered:
            reason = f"'{name[:80]}' is not offered in {region.name}, so nothing can be committed to."
            yield Fault("ledger.held", f"beside.held.{name}", reason, "Name an instance type that is offered there.")


def _offered(region: Region) -> set[str]:
    return set(Offer.objects.filter(zone__region=region).values_list("instance_type__name", flat=True))


def that_is_sold(beside: Mapping[str, Any], region: Region | None) -> dict[str, Any]:
    """Return what another region's price list has too of what is stated."""
    if region is None or not beside:
        return dict(beside)
    fees = {fee.name for fee in listed(region).fees}
    kept: dict[str, Any] = {"fees": {name: own for name, own in beside.get("fees", {}).items() if name in fees}}
    if _named(node_disks(region), beside.get("disk", "")):
        kept |= {name: beside[name] for name in ("disk", "disk_gib") if name in beside}
    if _named(zonal_disks(region), beside.get("volume", "")):
        kept["volume"] = beside["volume"]
    offered = _offered(region) if beside.get("held") else set()
    for key in ("held", "held_until"):
        kept[key] = {name: own for name, own in beside.get(key, {}).items() if name in offered}
    kept |= {"trial_ends": beside["trial_ends"]} if "trial_ends" in beside else {}
    return kept

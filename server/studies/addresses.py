"""What a variant states about its addresses: read, checked, and with every default filled in."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace
from typing import Any

from catalogue.adapt import network_of
from catalogue.models import Region
from rombel.addressing import (
    Addresses,
    Network,
    Pods,
    Role,
    TodayRange,
    Used,
    read_range,
    statement_faults,
)
from rombel.errors import Fault, InputRefused, gathered

DEFAULTS: Mapping[str, Any] = {
    "parent": "",
    "parent6": "",
    "used": [],
    "pods": "blocks",
    "twice": True,
    "services": 1000,
    "public": False,
    "gateways": 1,
    "load_balancers": 1,
    "lost": None,
    "surge": 1,
    "today": [],
}
"""What is taken where nothing is stated."""
LOST = 2
"""Addresses of every range that are no node's where neither the study nor the provider says how many (RFC 950 and common practice)."""
BOUNDS = {"services": 1_000_000, "gateways": 1000, "load_balancers": 10_000, "lost": 1000, "surge": 1000}
MOST_TODAY = 500


def stated_addresses(stored: Mapping[str, Any]) -> dict[str, Any]:
    """Return what is stated with every default filled in."""
    return {**DEFAULTS, **stored}


def normal_addresses(stored: Mapping[str, Any]) -> dict[str, Any]:
    """Return what differs from the defaults, every entry of a list whole; nothing where nothing is stated."""
    lists = {
        "used": [{"range": entry["range"], "name": entry.get("name", "")} for entry in stored.get("used", [])],
        "today": [{**entry, "zone": entry.get("zone", "")} for entry in stored.get("today", [])],
    }
    return {name: value for name, value in {**stored, **lists}.items() if name in DEFAULTS and value != DEFAULTS[name]}


def addresses_of(stored: Mapping[str, Any], region: Region | None = None) -> Addresses | None:
    """Return the core's value of what is stated; None where no parent is. What ranges lose is the provider's word where it is not stated.

    Raises
    ------
    InputRefused
        With every fault.

    """
    stated, faults = stated_addresses(stored), list[Fault]()
    parents: list[Network] = []
    used: list[Used] = []
    for name, version in (("parent", 4), ("parent6", 6)):
        if stated[name]:
            with gathered(faults):
                parents.append(read_range(stated[name], f"addresses.{name}", version))
    for place, entry in enumerate(stated["used"]):
        with gathered(faults):
            used.append(Used(read_range(entry["range"], f"addresses.used.{place}"), entry.get("name", "")))
    if faults:
        raise InputRefused(faults)
    if not parents:
        return None
    plain = ("twice", "services", "public", "gateways", "load_balancers")
    return Addresses(
        tuple(parents),
        tuple(used),
        Pods(stated["pods"]),
        **{name: stated[name] for name in plain},
        lost=lost_in(region) if stated["lost"] is None else stated["lost"],
    )


def lost_in(region: Region | None) -> int:
    """Return how many addresses a range loses, as the provider of a region says."""
    said = None if region is None else network_of(region.edition).lost_per_range
    return LOST if said is None else said


def today_of(stored: Mapping[str, Any]) -> list[TodayRange]:
    """Return the ranges that the variant's cluster has today.

    Raises
    ------
    InputRefused
        With every fault.

    """
    faults = list[Fault]()
    found: list[TodayRange] = []
    for place, entry in enumerate(stored.get("today", [])):
        with gathered(faults):
            network = read_range(entry["range"], f"addresses.today.{place}.range")
            found.append(TodayRange(Role(entry["role"]), entry["zone"], network))
    if faults:
        raise InputRefused(faults)
    return found


def address_faults(stored: Mapping[str, Any], zones: Sequence[str]) -> Iterator[Fault]:
    """Yield what is wrong with what is stated, each with its place."""
    for name, most in BOUNDS.items():
        if not 0 <= (stored.get(name) or 0) <= most:
            yield Fault(
                "addresses.count", f"addresses.{name}", f"{stored[name]} is not counted.", f"State 0 to {most}."
            )
    try:
        found = addresses_of(stored)
        if found is not None:
            yield from (replace(fault, path=f"addresses.{fault.path}") for fault in statement_faults(found))
        for place, entry in enumerate(today_of(stored)):
            if entry.zone not in ("", *zones) or (entry.role is Role.SERVICES) is bool(entry.zone):
                reason = f"'{entry.zone}' is no zone of the variant for a range of {entry.role}."
                fix = "Leave the zone out for services; name one of " + (", ".join(zones) or "a region's zones") + "."
                yield Fault("addresses.zone", f"addresses.today.{place}.zone", reason, fix)
    except InputRefused as refused:
        yield from refused.faults
    if len(stored.get("today", [])) > MOST_TODAY:
        reason = f"More than {MOST_TODAY} ranges are not read."
        yield Fault("addresses.many", "addresses.today", reason, "Leave out what is not this cluster's.")


def in_zones(stored: Mapping[str, Any], zones: Sequence[str]) -> dict[str, Any]:
    """Return what is stated without ranges of zones that another region does not have."""
    kept = [entry for entry in stored.get("today", []) if entry["zone"] in ("", *zones)]
    return normal_addresses({**stored, "today": kept})

"""What a variant states about its build: read, checked, and with every default filled in."""

from __future__ import annotations

import re
from collections.abc import Collection, Iterator, Mapping, Sequence
from datetime import date
from typing import Any

from catalogue.adapt import network_of
from catalogue.listed import listed
from catalogue.models import Region
from rombel.errors import Fault, InputRefused
from rombel.formats.access_objects import Grant, May
from rombel.model.build import Build, Match, Needed, Version, read_version
from rombel.model.price_list import ListedNetwork
from rombel.model.quantity import parse_day
from studies.models import Variant

_NAMESPACE = re.compile("[a-z0-9]([-a-z0-9]{0,61}[a-z0-9])?")
VERSIONS = ("version_now", "version_to", "version_nodes")
DEFAULTS: Mapping[str, Any] = {
    "cluster": "",
    **dict.fromkeys(VERSIONS, ""),
    "version_ends": "",
    "private_api": False,
    "way_in": "",
    "matches": [],
    "domain": "",
    "needed": [],
    "route_tables": {},
    "access": [],
    "done": {},
}


def merged_build(before: Mapping[str, Any], given: Mapping[str, Any]) -> dict[str, Any]:
    """Return what is stated once a change is made; of what is done and by whom only the entries given change."""
    done = dict(before.get("done", {}))
    for code, own in given.get("done", {}).items():
        done[code] = {**done.get(code, {}), **own}
    kept = {code: own for code, own in done.items() if own.get("done") or own.get("owner")}
    after = {**before, **given, "done": kept}
    return {name: value for name, value in after.items() if name in DEFAULTS and value != DEFAULTS[name]}


def in_zones(stored: Mapping[str, Any], zones: Collection[str]) -> dict[str, Any]:
    """Return what is stated without zones that another region does not have; what could be had in such zones alone is left out."""
    needed = [
        {**entry, "zones": [zone for zone in entry["zones"] if zone in zones]}
        for entry in stored.get("needed", [])
        if not entry["zones"] or set(entry["zones"]) & set(zones)
    ]
    tables = {zone: table for zone, table in stored.get("route_tables", {}).items() if zone in zones}
    return merged_build(stored, {"needed": needed, "route_tables": tables})


def build_faults(stored: Mapping[str, Any], zones: Collection[str]) -> Iterator[Fault]:
    """Yield what is wrong with what is stated, each with its place."""
    for name in VERSIONS:
        if stored.get(name):
            try:
                read_version(stored[name], f"build.{name}")
            except InputRefused as refused:
                yield from refused.faults
    if stored.get("version_ends"):
        try:
            parse_day(stored["version_ends"], "build.version_ends")
        except InputRefused as refused:
            yield from refused.faults
    yield from _access_faults(stored.get("access", []))
    for part in ("matches", "needed"):
        names = [entry["what"] for entry in stored.get(part, [])]
        for place, name in enumerate(names):
            if not name.strip() or name in names[:place]:
                reason = "An entry has no name." if not name.strip() else f"'{name}' stands twice."
                yield Fault("build.twice", f"build.{part}.{place}.what", reason, "Name each once.")
    named = {f"needed.{place}.zones": own["zones"] for place, own in enumerate(stored.get("needed", []))}
    for path, own in {**named, "route_tables": stored.get("route_tables", {})}.items():
        for zone in own:
            if zone not in zones:
                fix = f"Its zones are {', '.join(zones) or 'none yet: choose a region'}."
                yield Fault("build.zone", f"build.{path}", f"The region has no zone '{zone}'.", fix)


def _access_faults(entries: Sequence[Mapping[str, Any]]) -> Iterator[Fault]:
    seen = set()
    for place, entry in enumerate(entries):
        path, key = f"build.access.{place}", (entry["who"].strip(), entry["namespace"].strip())
        if not key[0]:
            yield Fault("build.access", f"{path}.who", "Nobody is named.", "Name a person with an @, or a group.")
        elif key in seen:
            yield Fault("build.twice", f"{path}.who", f"'{key[0]}' stands twice there.", "Name each once.")
        seen.add(key)
        if key[1] and _NAMESPACE.fullmatch(key[1]) is None:
            fix = "Write small letters, digits and hyphens, 63 at most."
            yield Fault("build.access", f"{path}.namespace", f"'{key[1][:40]}' names no namespace.", fix)
        if entry["until"]:
            try:
                parse_day(entry["until"], f"{path}.until")
            except InputRefused as refused:
                yield from refused.faults


def grants_of(stored: Mapping[str, Any]) -> list[Grant]:
    """Return who may do what, as it is stated."""
    return [
        Grant(
            entry["who"].strip(),
            May(entry["may"]),
            entry["namespace"].strip(),
            date.fromisoformat(entry["until"]) if entry["until"] else None,
        )
        for entry in stored.get("access", [])
    ]


def build_of(variant: Variant, today: date) -> Build:
    """Return the core's value of what is stated, with the names that clusters of other studies at the same provider have."""
    stated = {**DEFAULTS, **variant.build}
    # Only texts that are versions are kept.
    versions = [read_version(stated[name]) if stated[name] else None for name in VERSIONS]
    sold = {} if variant.region is None else _sold(variant.region)
    network = ListedNetwork() if variant.region is None else network_of(variant.region.edition)
    ends = date.fromisoformat(stated["version_ends"]) if stated["version_ends"] else sold.get(versions[1])
    return Build(
        cluster=stated["cluster"],
        taken=_taken(variant, stated["cluster"]),
        now=versions[0],
        to=versions[1],
        nodes=versions[2],
        prefix=network.name_prefix,
        domain=stated["domain"],
        longest=network.longest_name,
        sold=tuple(each for each in sold if each is not None),
        ends=ends,
        today=today,
        private_api=stated["private_api"],
        way_in=stated["way_in"],
        matches=tuple(Match(entry["what"], entry["one"], entry["other"]) for entry in stated["matches"]),
        needed=tuple(Needed(entry["what"], frozenset(entry["zones"])) for entry in stated["needed"]),
        route_tables=stated["route_tables"],
        one_route_table=network.one_route_table,
    )


def _sold(region: Region) -> dict[Version | None, date | None]:
    """Return the versions that the provider sells, each with the day on which it ends as far as that is stated."""
    return {read_version(version): ends for version, ends in listed(region).versions.items()}


def _taken(variant: Variant, name: str) -> frozenset[str]:
    """Return the name of a cluster where another study has it; variants of one study are one cluster, planned otherwise.

    No other name is returned: this goes into files, and other studies may not be there for everybody.
    """
    if variant.region is None or not name:
        return frozenset()
    others = Variant.objects.filter(region__edition__provider=variant.region.edition.provider, is_reference=True)
    found = others.exclude(study_id=variant.study_id).filter(build__cluster=name).exists()
    return frozenset({name} if found else ())

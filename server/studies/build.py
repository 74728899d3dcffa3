"""What a variant states about its build: read, checked, and with every default filled in."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from datetime import date
from typing import Any

from rombel.errors import Fault, InputRefused
from rombel.model.build import Build, Match, read_version
from rombel.model.quantity import parse_day
from studies.models import Variant

VERSIONS = ("version_now", "version_to", "version_nodes")
DEFAULTS: Mapping[str, Any] = {
    "cluster": "",
    **dict.fromkeys(VERSIONS, ""),
    "version_ends": "",
    "private_api": False,
    "way_in": "",
    "matches": [],
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


def build_faults(stored: Mapping[str, Any]) -> Iterator[Fault]:
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
    names = [entry["what"] for entry in stored.get("matches", [])]
    for place, name in enumerate(names):
        if not name.strip() or name in names[:place]:
            reason = "A text has no name." if not name.strip() else f"'{name}' stands twice."
            yield Fault("build.match", f"build.matches.{place}.what", reason, "Name each once.")


def build_of(variant: Variant, today: date) -> Build:
    """Return the core's value of what is stated, with the names that clusters of other studies at the same provider have."""
    stated = {**DEFAULTS, **variant.build}
    # Only texts that are versions are kept.
    versions = [read_version(stated[name]) if stated[name] else None for name in VERSIONS]
    return Build(
        cluster=stated["cluster"],
        taken=_taken(variant) if stated["cluster"] else frozenset(),
        now=versions[0],
        to=versions[1],
        nodes=versions[2],
        ends=date.fromisoformat(stated["version_ends"]) if stated["version_ends"] else None,
        today=today,
        private_api=stated["private_api"],
        way_in=stated["way_in"],
        matches=tuple(Match(entry["what"], entry["one"], entry["other"]) for entry in stated["matches"]),
    )


def _taken(variant: Variant) -> frozenset[str]:
    """Return the names of other studies' clusters; variants of one study are one cluster, planned otherwise."""
    if variant.region is None:
        return frozenset()
    others = Variant.objects.filter(region__edition__provider=variant.region.edition.provider, is_reference=True)
    stated = others.exclude(study_id=variant.study_id).values_list("build__cluster", flat=True)
    return frozenset(name for name in stated if name)

"""A study through time: its edits as revisions, what differs between two of them, and a variant as it was at one."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from django.db.models import QuerySet

from accounts.action import Missing
from catalogue.models import Region
from studies.edits import VARIANT_FIELDS, Change, variant_fields, workload_fields
from studies.models import Edit, Study, Variant
from studies.wording import NOTHING, field_name, parts_of, region_words, shown_parts

START = 0
"""The number of the study as it began, before any edit."""
_APART = ("position", "provenance")
"""Fields of rows that say where something stands or comes from, and nothing that is planned."""
_THERE, _GONE = "there", "not there"


@dataclass(frozen=True, slots=True)
class Difference:
    """What differs between two revisions: of which variant, row or study, what, and how it was in each."""

    of: str
    what: str
    before: str
    after: str


@dataclass
class _Thing:
    """A variant, row or study over several edits: whether it was there, and its fields as they were first and last."""

    was: bool
    now: bool
    first: dict[str, Any]
    last: dict[str, Any]


def revisions_of(study: Study, before: int | None, count: int) -> list[Edit]:
    """Return a page of a study's edits, the newest first; ``before`` is the number of the last one that was seen."""
    rows = study.edits.select_related("actor").defer("changes").order_by("-pk")
    return list((rows if before is None else rows.filter(pk__lt=before))[:count])


def revision_by_id(study: Study, number: int) -> Edit | None:
    """Return an edit that stands (None: the study as it began); ``Missing`` where there is none or it is undone."""
    if number == START:
        return None
    found = study.edits.filter(pk=number, undone=False).first()
    if found is None:
        raise Missing(f"There is no revision {number} that stands: it may have been undone.")
    return found


def differences(study: Study, first: int, last: int) -> list[Difference]:
    """Return what differs between two revisions, each thing and field once, in the order in which they were first changed."""
    for number in (first, last):
        revision_by_id(study, number)
    low, high = sorted((first, last))
    things: dict[tuple[str, str], _Thing] = {}
    edits = study.edits.filter(undone=False, pk__gt=low, pk__lte=high).order_by("pk")
    for changes in edits.values_list("changes", flat=True).iterator():
        for change in changes:
            _follow(things, change)
    names = _names(study)
    regions = {
        row.pk: region_words(row) for row in Region.objects.filter(pk__in=_regions(things)).select_related("edition")
    }
    found = [each for key, thing in things.items() for each in _of_thing(key, thing, names, regions)]
    return found if first <= last else [Difference(each.of, each.what, each.after, each.before) for each in found]


def variant_at(variant: Variant, number: int) -> Variant:
    """Return a variant with the choices that it had at a revision, not stored; one made later has those it was made with."""
    fields: dict[str, Any] = {**variant_fields(variant), "limits": variant.limits}
    for change in _undoing(variant.study, number):
        if (change["kind"], change["key"]) == ("variant", str(variant.pk)):
            fields.update({name: own for name, own in (change["before"] or {}).items() if name in fields})
    past = Variant(**{name: fields[name] for name in (*VARIANT_FIELDS, "limits")}, study=variant.study)
    # It stands for the stored one: what is made from it was made from that.
    past.pk, past.name = variant.pk, variant.name
    return past


def rows_since(study: Study, number: int) -> list[Change]:
    """Return the changes that make the rows of a study what they were at a revision."""
    now = {str(row.key): workload_fields(row) for row in study.workloads.all()}
    then: dict[str, dict[str, Any] | None] = dict(now)
    for change in _undoing(study, number):
        if change["kind"] == "workload":
            then[change["key"]] = change["before"]
    return [
        Change(kind="workload", key=key, before=now.get(key), after=fields)
        for key, fields in then.items()
        if now.get(key) != fields
    ]


def _undoing(study: Study, number: int) -> Iterator[Change]:
    """Yield the changes that came after a revision, the last one first."""
    rows: QuerySet[Edit] = study.edits.filter(undone=False, pk__gt=number).order_by("-pk")
    for changes in rows.values_list("changes", flat=True).iterator():
        yield from reversed(changes)


def _follow(things: dict[tuple[str, str], _Thing], change: Change) -> None:
    before, after = change["before"], change["after"]
    key = change["kind"], change["key"]
    thing = things.setdefault(key, _Thing(before is not None, True, {}, {}))
    thing.now = after is not None
    for name, value in (before or {}).items():
        # Of fields that an earlier edit set the first value is known already.
        if name not in thing.last:
            thing.first.setdefault(name, value)
    thing.last.update(after or {})


def _names(study: Study) -> dict[tuple[str, str], str]:
    variants = {("variant", str(row.pk)): row.name for row in Variant.every.filter(study=study)}
    rows = study.workloads.values_list("key", "namespace", "name")
    return variants | {("workload", str(key)): f"{namespace}/{name}" for key, namespace, name in rows}


def _regions(things: Mapping[tuple[str, str], _Thing]) -> set[int]:
    both = [own.get("region_id") for thing in things.values() for own in (thing.first, thing.last)]
    return {number for number in both if number is not None}


def _of_thing(
    key: tuple[str, str], thing: _Thing, names: Mapping[tuple[str, str], str], regions: Mapping[int, str]
) -> Iterator[Difference]:
    known = thing.last or thing.first
    of = names.get(key) or (f"{known.get('namespace', '')}/{known.get('name', '')}" if key[0] == "workload" else key[0])
    if thing.was != thing.now:
        yield Difference(of, "row", *((_THERE, _GONE) if thing.was else (_GONE, _THERE)))
        return
    if not thing.now:
        return
    for name, now in thing.last.items():
        was = thing.first.get(name)
        if was == now or name in _APART:
            continue
        if name == "region_id":
            was, now = (regions.get(number or 0, NOTHING) for number in (was, now))
        one, other = parts_of(name, was), parts_of(name, now)
        parts: Sequence[str] = [part for part in sorted({*one, *other}) if one.get(part) != other.get(part)]
        yield Difference(of, field_name(name), shown_parts(one, parts), shown_parts(other, parts))

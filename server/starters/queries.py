"""Reads of starters, and of what a newer version would change."""

from __future__ import annotations

from dataclasses import replace

from django.db.models import QuerySet

from accounts.action import Missing
from accounts.models import User
from rombel.errors import InputRefused
from rombel.starters import Answers, Shape, differences, fill
from starters.models import Starter, StarterUse, StarterVersion
from studies.models import Study
from studies.sharing import seen_by


def starters_of_house() -> QuerySet[Starter]:
    """Return every starter with its versions."""
    return Starter.objects.prefetch_related("versions__made_by")


def starter_by_id(key: int) -> Starter:
    """Return a starter; ``Missing`` where there is none."""
    found = starters_of_house().filter(pk=key).first()
    if found is None:
        raise Missing(f"There is no starter {key}.")
    return found


def newest(starter: Starter) -> StarterVersion:
    """Return a starter's newest version; each has one from its first moment."""
    return list(starter.versions.all())[-1]


def uses_of(starter: Starter, person: User) -> QuerySet[StarterUse]:
    """Return the studies that were made from a starter, as far as they are there for a person, the newest first."""
    rows = StarterUse.objects.filter(version__starter=starter, study__in=seen_by(person).values("pk"))
    return rows.select_related("study", "version", "used_by").order_by("-pk")


def use_of(study: Study) -> StarterUse | None:
    """Return from which starter a study was made; None: from none."""
    return StarterUse.objects.select_related("version__starter", "used_by").filter(study=study).first()


def would_change(use: StarterUse) -> tuple[StarterVersion, list[str]] | None:
    """Return the newest version where it is newer than a study's own, and what it would change, in sentences; None: there is no newer one.

    Both versions are filled in with what was answered then; the study's own edits since are left out of it.
    """
    latest = newest(starter_by_id(use.version.starter_id))
    if latest.number <= use.version.number:
        return None
    before, after, said = use.version.read(), latest.read(), use.said()
    try:
        return latest, differences(fill(before, said), fill(after, asked_by(after, said)))
    except InputRefused as refused:
        first = refused.faults[0]
        return latest, [f"What was answered then does not fit it: {first.reason} {first.fix}"]


def asked_by(shape: Shape, said: Answers) -> Answers:
    """Return of some answers those that a shape asks for; a size that it does not have is its first one."""
    journeys = {each["name"] for each in shape.study.get("journeys", ())}
    inputs = {each.name for each in shape.inputs}
    return replace(
        said,
        size=said.size if said.size in shape.sizes else next(iter(shape.sizes)),
        inputs={name: text for name, text in said.inputs.items() if name in inputs},
        targets={name: text for name, text in said.targets.items() if name in journeys},
    )

"""How long a list of five hundred studies, a revision brought back and a comparison take, on the demo's database: ``./rombel bench studies``.

Everything is made inside a transaction that is taken back; the demo is as it was. The figures are of the answers' making, without
the way through the web server. The machine should have nothing else to do.
"""

from __future__ import annotations

import time
from collections.abc import Callable
from typing import Any

from django.db import transaction

from accounts.models import User
from api import present
from runs.comparing import compared
from runs.listing import known_tags, study_lines
from runs.models import Fit
from runs.search import found
from studies.actions.restore_revision import RestoreRevision
from studies.models import Edit, Study, Variant, Workload
from studies.revisions import differences

STUDIES, PAGE, EDITS = 500, 50, 1000


class TakenBack(Exception):
    """Ends the transaction, so that nothing of it stays."""


def many_studies(like: Study) -> None:
    """Make studies like one, each with its rows, its reference and that one's newest plan."""
    reference = like.variants.get(is_reference=True)
    fit, rows = reference.fits.order_by("run_id", "pk").last(), list(like.workloads.all())
    for number in range(STUDIES):
        study = Study.objects.create(name=f"Study {number:03}", created_by=like.created_by, journeys=like.journeys)
        own = Variant.objects.create(
            study=study, name="reference", position=0, is_reference=True, region=reference.region
        )
        Workload.objects.bulk_create(
            Workload(study=study, **{name: getattr(row, name) for name in _ROW}) for row in rows[:10]
        )
        Edit.objects.create(study=study, actor=like.created_by, summary="made", changes=[])
        if fit is not None:
            values = {name: getattr(fit, name) for name in _FIT}
            Fit.objects.create(run=fit.run, variant=own, **values)


_ROW = ("position", "namespace", "name", "kind", "replicas", "cpu_millicores", "memory_bytes", "labels", "pod")
_FIT = (
    "stated_id",
    "digest",
    "solution",
    "status",
    "cost_per_hour",
    "floor_per_hour",
    "core_version",
    "seed",
    "seconds",
)


def many_edits(variant: Variant) -> None:
    """Give a study many revisions, one after the other."""
    for number in range(EDITS):
        change = {"kind": "variant", "key": str(variant.pk)}
        sides = {"before": {"most_pools": number or None}, "after": {"most_pools": number + 1}}
        Edit.objects.create(
            study=variant.study, actor=variant.study.created_by, summary="pools", changes=[{**change, **sides}]
        )


def listed() -> Any:
    """Return the first page of the list, as it is sent."""
    return present.study_page(
        study_lines(Study.objects.all())[:PAGE], User.objects.get(username="planner")
    ), known_tags(Study.objects.all())


def seconds(work: Callable[[], Any], times: int = 3) -> float:
    """Return the least time that some work took of several tries."""
    taken = []
    for _ in range(times):
        started = time.monotonic()
        work()
        taken.append(time.monotonic() - started)
    return min(taken)


def measured() -> list[tuple[str, float, float]]:
    """Return what was measured, in words, with the seconds that it took and those that are wanted."""
    lines: list[tuple[str, float, float]] = []
    try:
        with transaction.atomic():
            lines += _measured()
            raise TakenBack
    except TakenBack:
        return lines


def _measured() -> list[tuple[str, float, float]]:
    summer = Study.objects.get(name="Summer timetable")
    variant = summer.variants.get(is_reference=True)
    many_studies(summer)
    many_edits(variant)
    first, last = summer.edits.first(), summer.edits.last()
    assert first is not None and last is not None
    names = iter(range(100))

    def restore() -> None:
        name = f"brought back {next(names)}"
        RestoreRevision(summer.created_by, variant, name, number=first.pk, demand=True).run()

    return [
        (f"a page of {PAGE} of {STUDIES} studies", seconds(listed), 0.3),
        (f"a revision {EDITS} edits back, brought back with its rows", seconds(restore), 1.0),
        (f"what differs over {EDITS} edits", seconds(lambda: differences(summer, first.pk, last.pk)), 1.0),
        ("two variants of the demo compared", seconds(lambda: compared(summer, [])), 0.5),
        ("anything found by three letters", seconds(lambda: found("boo", variant, Study.objects.all())), 0.3),
    ]

"""Studies in a list, each with what one decides by: what its reference costs, how well that is proved, the journey that falls shortest."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime
from decimal import Decimal
from typing import Any

from django.db.models import Count, QuerySet, Sum
from django.db.models.functions import TruncDate

from rombel.model.quantity import HOURS_PER_MONTH
from runs.models import Downtime, Fit
from runs.queries import WITHOUT_ANSWER
from studies.adapt import allowed_minutes
from studies.models import Edit, Study, Workload


@dataclass(frozen=True, slots=True)
class Shortest:
    """The journey with the least downtime left or the most too much: its name, minutes a month, and those that its target allows."""

    name: str
    minutes: float
    allowed: float


@dataclass(frozen=True, slots=True)
class StudyLine:
    """A study in the list.

    Parameters
    ----------
    workloads, replicas
        Of the demand sheet.
    fit
        The newest plan of the reference; None: there is none.
    shortest
        None: no journey has a target, or nothing is known of them over this plan.
    touched_at, touched_by
        Of the last edit; of a study without one, when and by whom it was made.

    """

    study: Study
    workloads: int
    replicas: int
    fit: Fit | None
    shortest: Shortest | None
    touched_at: datetime
    touched_by: str

    @property
    def cost_per_month(self) -> Decimal | None:
        """Return what the reference's newest plan costs: nodes and zones, and the study's fees where they were looked at."""
        if self.fit is None:
            return None
        return self.fit.cost_per_hour * HOURS_PER_MONTH + (self.fit.fees_per_month or 0)

    @property
    def gap(self) -> float | None:
        """Return how far above the floor that is."""
        if self.fit is None or not self.fit.floor_per_hour:
            return None
        return float(self.fit.cost_per_hour / self.fit.floor_per_hour - 1)


_ORDERS: Mapping[str, Callable[[StudyLine], Any]] = {
    "touched": lambda line: -line.touched_at.timestamp(),
    "name": lambda line: line.study.name.lower(),
    # Below all that cost something: a study without a plan comes last.
    "cost": lambda line: -(line.cost_per_month or Decimal(-1)),
    "gap": lambda line: -(-1.0 if line.gap is None else line.gap),
    "findings": lambda line: -(1000 * (line.fit.blockers or 0) + (line.fit.warnings or 0) if line.fit else -1),
    "downtime": lambda line: -(line.shortest.minutes / line.shortest.allowed if line.shortest else -1.0),
}
"""What may come first, by its name: what was touched last, what costs most, what is proved worst, what falls shortest."""
ORDERS = tuple(_ORDERS)


_TOLD = ("pk", "status", "cost_per_hour", "floor_per_hour", "fees_per_month", "blockers", "warnings")
"""What the list tells of a plan."""
_UNREAD = ("level_shares", "events", "dependencies", "failures", "drills", "rehearsal")
"""What a study states that no list shows."""


def study_lines(
    studies: QuerySet[Study], *, find: str = "", tag: str = "", archived: bool = False, order: str = "touched"
) -> list[StudyLine]:
    """Return those of some studies whose name, organisation or tags hold a text, in an order; a handful of reads however many there are."""
    rows = studies.select_related("created_by").defer(*_UNREAD)
    rows = rows.filter(archived_at__isnull=not archived)
    # In Python and not in the database: tags are a list, and letters are to be compared as people do.
    listed = [study for study in rows if _holds(study, find.strip().lower()) and (not tag or tag in study.tags)]
    keys = [study.pk for study in listed]
    sums = {
        row["study_id"]: row
        for row in Workload.objects.filter(study__in=keys)
        .values("study_id")
        .annotate(workloads=Count("key"), replicas=Sum("replicas"))
        .order_by()
    }
    fits = _newest_plans(keys)
    # Of several promises the plan was asked for, those asked last.
    downtimes = {row.fit_id: row.minutes for row in Downtime.objects.filter(fit__in=fits.values()).order_by("pk")}
    # The newest of each study in one read; what they changed may be megabytes and stays there.
    edits = Edit.objects.filter(study__in=keys, undone=False).order_by("study_id", "-pk").distinct("study_id")
    touched = {row.study_id: row for row in edits.select_related("actor").defer("changes")}
    lines = []
    for study in listed:
        fit, edit = fits.get(study.pk), touched.get(study.pk)
        own: Mapping[str, Any] = sums.get(study.pk, {})
        lines.append(
            StudyLine(
                study,
                own.get("workloads", 0),
                own.get("replicas") or 0,
                fit,
                None if fit is None else _shortest(study, downtimes.get(fit.pk, {})),
                edit.at if edit else study.created_at,
                edit.actor.shown_name if edit else study.created_by.shown_name,
            )
        )
    return sorted(lines, key=lambda line: (_ORDERS[order](line), line.study.pk))


def cost_trends(studies: Sequence[Study]) -> dict[int, list[tuple[date, Decimal]]]:
    """Return by study what nodes and zones of its reference cost a month: the last plan of each day that one was kept of, oldest first."""
    rows = Fit.objects.filter(
        variant__study__in=[study.pk for study in studies], variant__is_reference=True, variant__removed_at=None
    ).exclude(status__in=WITHOUT_ANSWER)
    daily = rows.annotate(day=TruncDate("created_at")).order_by("variant__study_id", "day", "-run_id", "-pk")
    found: dict[int, list[tuple[date, Decimal]]] = {}
    for study, day, cost in daily.distinct("variant__study_id", "day").values_list(
        "variant__study_id", "day", "cost_per_hour"
    ):
        found.setdefault(study, []).append((day, cost * HOURS_PER_MONTH))
    return found


def known_tags(studies: QuerySet[Study]) -> list[str]:
    """Return every tag that one of some studies has."""
    return sorted({tag for tags in studies.values_list("tags", flat=True) for tag in tags})


def _holds(study: Study, text: str) -> bool:
    return any(text in own.lower() for own in (study.name, study.organisation, *study.tags))


def _newest_plans(studies: Sequence[int]) -> dict[int, Fit]:
    """Return by study the newest plan of its reference, without its texts; where the newest answer is no plan, there is none."""
    rows: QuerySet[Fit] = Fit.objects.filter(
        variant__study__in=studies, variant__is_reference=True, variant__removed_at=None
    )
    newest = rows.order_by("variant_id", "-run_id", "-pk").distinct("variant_id").select_related("variant")
    return {
        fit.variant.study_id: fit
        for fit in newest.only(*_TOLD, "variant__study_id")
        if fit.status not in WITHOUT_ANSWER
    }


def _shortest(study: Study, minutes: Mapping[str, float]) -> Shortest | None:
    found = []
    for journey in study.journeys:
        allowed = allowed_minutes(journey["target"])
        if journey["name"] in minutes and allowed > 0:
            found.append(Shortest(journey["name"], minutes[journey["name"]], allowed))
    return max(found, key=lambda own: own.minutes / own.allowed, default=None)

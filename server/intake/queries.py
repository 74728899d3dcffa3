"""Reads of requests for capacity."""

from __future__ import annotations

from django.db.models import Q, QuerySet

from accounts.action import Missing
from accounts.models import Role, User
from intake.models import Intake
from studies.sharing import seen_by


def intakes_for(user: User) -> QuerySet[Intake]:
    """Return the requests a person may see, newest first: their own, and but for service owners those of studies that are there for them."""
    rows = (
        Intake.objects.select_related("asked_by", "decided_by", "study")
        .prefetch_related("steps__actor")
        .order_by("-id")
    )
    if user.role == Role.OWNER:
        return rows.filter(asked_by=user)
    return rows.filter(Q(asked_by=user) | Q(study=None) | Q(study__in=seen_by(user).values("pk")))


def intake_by_id(intake_id: int, user: User) -> Intake:
    """Return a request that the person may see; ``Missing`` when there is none."""
    found = intakes_for(user).filter(pk=intake_id).first()
    if found is None:
        raise Missing(f"There is no request {intake_id}.")
    return found

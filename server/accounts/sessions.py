"""Sessions that are open: listed for their person, and ended from anywhere."""

from __future__ import annotations

from django.contrib.sessions.models import Session
from django.db import transaction
from django.db.models import Count, Exists, OuterRef, QuerySet
from django.utils import timezone

from accounts.models import OpenSession, User


def opened(person: User, key: str, address: str, agent: str) -> None:
    """Keep that somebody signed in."""
    OpenSession.objects.update_or_create(
        key=key, defaults={"person": person, "address": address[:60], "agent": agent[:200]}
    )


def moved(before: str, after: str) -> None:
    """Keep that a session goes on under another key."""
    OpenSession.objects.filter(key=before).update(key=after)


def open_sessions(person: User) -> QuerySet[OpenSession]:
    """Return a person's sessions that are not over, the newest first."""
    return _living().filter(person=person)


def sessions_open() -> dict[int, int]:
    """Return by person's number how many sessions are open; who has none is left out."""
    return dict(_living().order_by().values_list("person").annotate(count=Count("pk")))


def _living() -> QuerySet[OpenSession]:
    sessions = Session.objects.filter(session_key=OuterRef("key"), expire_date__gt=timezone.now())
    return OpenSession.objects.filter(Exists(sessions))


def end(person: User, *, one: int | None = None, but: str = "") -> int:
    """End a person's sessions: ``one`` by its number, or all but that of a key; return how many were open."""
    rows = person.open_sessions.exclude(key=but)
    rows = rows if one is None else rows.filter(pk=one)
    with transaction.atomic():
        keys = list(rows.values_list("key", flat=True))
        ended, _ = Session.objects.filter(session_key__in=keys).delete()
        OpenSession.objects.filter(key__in=keys).delete()
    return ended

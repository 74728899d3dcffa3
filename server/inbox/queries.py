"""Reads of what people are told."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from accounts.models import User
from inbox.models import Notice

MOST = 100
"""Older ones are not listed; unread ones are counted whatever their age."""


@dataclass(frozen=True, slots=True)
class Inbox:
    """What a person was told, newest first, and how much of it is unread."""

    unread: int
    notices: Sequence[Notice]


def inbox_of(person: User) -> Inbox:
    """Return a person's inbox."""
    rows = Notice.objects.filter(person=person)
    return Inbox(rows.filter(read_at=None).count(), list(rows.select_related("by").order_by("-pk")[:MOST]))

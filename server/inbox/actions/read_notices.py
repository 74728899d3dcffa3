"""Mark as read what a person was told."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

from django.utils import timezone

from accounts.action import Action
from accounts.models import Role
from inbox.models import Notice


@dataclass
class ReadNotices(Action[int]):
    """Mark the own notices up to one as read; what came after was not seen and stays unread. It leaves no trail: nothing is decided."""

    up_to: int
    name: ClassVar[str] = "inbox.read"
    roles: ClassVar[tuple[Role, ...]] = tuple(Role)

    def execute(self) -> int:
        """Return how many were unread."""
        unread = Notice.objects.filter(person=self.actor, pk__lte=self.up_to, read_at=None)
        return unread.update(read_at=timezone.now())

    def changed_anything(self) -> bool:
        """Return False."""
        return False

    def subject(self) -> str:
        """Return the person."""
        return f"person:{self.actor.pk}"

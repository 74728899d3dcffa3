"""The shape of every mutation: who may do it, what it does, and the trail it leaves."""

from __future__ import annotations

from abc import ABC, abstractmethod
from dataclasses import dataclass
from typing import Any, ClassVar, Generic, TypeVar

from django.db import transaction

from accounts.models import AuditEntry, Role, User

T = TypeVar("T")


class NotAllowed(Exception):
    """The person's role does not allow the action."""


class Missing(Exception):
    """What the action is about does not exist."""


class Overtaken(Exception):
    """Somebody changed what the action is about since its sender last saw it; nothing was done."""


class OfOneself:
    """Beside an action: it is about the person who acts."""

    actor: User

    def subject(self) -> str:
        """Return the person."""
        return f"person:{self.actor.pk}"


@dataclass
class Action(ABC, Generic[T]):
    """One mutation: checked, executed in a transaction, and written to the trail.

    Subclasses set ``name`` and ``roles`` and implement ``execute``, ``subject`` and ``detail``.
    """

    actor: User

    name: ClassVar[str]
    roles: ClassVar[tuple[Role, ...]] = (Role.PLANNER, Role.LEAD)

    def run(self) -> T:
        """Return what ``execute`` returns.

        Raises
        ------
        NotAllowed
            When the person's role is not among ``roles``.

        """
        # The role is looked at before anything is locked, so that nobody who may not act keeps others waiting.
        if self.actor.role not in self.roles:
            raise NotAllowed(f"A {self.actor.role} may not do this.")
        self.permit()
        # Lock, change and trail are one transaction: there is no change without its line, and no line without its change.
        with transaction.atomic():
            self.lock()
            result = self.execute()
            if not self.changed_anything():
                return result
            AuditEntry.objects.create(actor=self.actor, action=self.name, subject=self.subject(), detail=self.detail())
        return result

    def permit(self) -> None:
        """Go on only where the person may do this to what it is about, whatever the role in the house."""

    def lock(self) -> None:
        """Hold what will be changed until the end, and read it anew: what was read before may be somebody else's past."""

    def changed_anything(self) -> bool:
        """Return whether there is anything to write to the trail."""
        return True

    @abstractmethod
    def execute(self) -> T:
        """Do it."""

    @abstractmethod
    def subject(self) -> str:
        """Return what it was done to, as ``kind:id``."""

    def detail(self) -> dict[str, Any]:
        """Return the input worth keeping."""
        return {}

"""Give a person another role, lock one out, or let one in again."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, ClassVar

from accounts.action import Action, Missing
from accounts.models import Role, User
from accounts.sessions import end
from rombel.errors import refuse


@dataclass
class ChangePerson(Action[User]):
    """Set role or lock of somebody else; with a lock every session ends, and no token holds."""

    key: int
    role: Role | None = None
    locked: bool | None = None
    name: ClassVar[str] = "person.change"
    roles: ClassVar[tuple[Role, ...]] = (Role.LEAD,)

    def lock(self) -> None:
        """Hold the person's row."""
        row = User.objects.select_for_update().filter(pk=self.key).first()
        if row is None:
            raise Missing(f"There is no person {self.key}.")
        self.person = row

    def execute(self) -> User:
        """Return the person."""
        # Nobody locks the door behind themselves: another lead can always undo what this one did.
        if self.person.pk == self.actor.pk:
            raise refuse("person.own", "", "This is your own account.", "Ask another lead to change it.")
        person = self.person
        before = (person.role, person.is_active)
        person.role = person.role if self.role is None else self.role
        person.is_active = person.is_active if self.locked is None else not self.locked
        self.changed = before != (person.role, person.is_active)
        if self.changed:
            person.save(update_fields=["role", "is_active"])
        if not person.is_active:
            end(person)
        return person

    def changed_anything(self) -> bool:
        """Return whether anything is other than before."""
        return self.changed

    def subject(self) -> str:
        """Return the person."""
        return f"person:{self.key}"

    def detail(self) -> dict[str, Any]:
        """Return what holds now."""
        return {"role": self.person.role, "locked": not self.person.is_active}

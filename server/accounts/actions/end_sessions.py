"""End one's own sessions elsewhere."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, ClassVar

from accounts.action import Action, Missing, OfOneself
from accounts.models import Role
from accounts.sessions import end


@dataclass
class EndSessions(OfOneself, Action[None]):
    """End one session by its number (``one``), or every one but the one that asks (``here``: its key)."""

    here: str
    one: int | None = None
    name: ClassVar[str] = "session.end"
    roles: ClassVar[tuple[Role, ...]] = tuple(Role)

    def execute(self) -> None:
        """End them; ``Missing`` where the one named is not open."""
        self.count = end(self.actor, one=self.one, but=self.here if self.one is None else "")
        if self.one is not None and not self.count:
            raise Missing(f"There is no session {self.one}.")

    def changed_anything(self) -> bool:
        """Return whether one was open."""
        return self.count > 0

    def detail(self) -> dict[str, Any]:
        """Return how many."""
        return {"ended": self.count}

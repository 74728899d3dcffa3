"""Make a token for a pipeline, and end one."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any, ClassVar

from django.utils import timezone

from accounts.action import Action, Missing, OfOneself
from accounts.models import Role, Scope, Token
from accounts.secret import made_secret
from accounts.tokens import PREFIX
from rombel.errors import refuse

LONGEST = timedelta(days=366)
MOST_TOKENS = 50
NOT_OWNERS = (Role.VIEWER, Role.PLANNER, Role.LEAD)


@dataclass
class MakeToken(OfOneself, Action[tuple[Token, str]]):
    """Make a token of the person's own; it lets a pipeline do no more than the person may."""

    label: str
    scopes: list[Scope]
    days: int
    name: ClassVar[str] = "token.make"
    roles: ClassVar[tuple[Role, ...]] = NOT_OWNERS

    def execute(self) -> tuple[Token, str]:
        """Return the token with its secret, which nobody can read afterwards."""
        label = self.label.strip()
        if not label:
            raise refuse("token.name", "name", "A token needs a name.", "Say which pipeline it is for.")
        if not self.scopes:
            raise refuse("token.scopes", "scopes", "This token could do nothing.", "Choose at least one scope.")
        if not 1 <= self.days <= LONGEST.days:
            raise refuse(
                "token.days", "days", f"A token holds for 1 to {LONGEST.days} days.", "Make another one in time."
            )
        # One that has run out counts still, until its person ends it: its name stands in a pipeline somewhere.
        living = self.actor.tokens.filter(ended_at=None)
        if living.filter(name=label).exists():
            raise refuse(
                "token.twice", "name", f"You have a token '{label}' already.", "End it, or choose another name."
            )
        if living.count() >= MOST_TOKENS:
            raise refuse("token.many", "name", f"You have {MOST_TOKENS} tokens.", "End those that nobody uses.")
        secret, digest = made_secret(PREFIX)
        until: datetime = timezone.now() + timedelta(days=self.days)
        self.made = Token.objects.create(
            person=self.actor, name=label, scopes=sorted(set(self.scopes)), digest=digest, expires_at=until
        )
        return self.made, secret

    def detail(self) -> dict[str, Any]:
        """Return what it is called and lets do; never the secret."""
        return {"name": self.made.name, "scopes": self.made.scopes, "until": self.made.expires_at.isoformat()}


@dataclass
class EndToken(OfOneself, Action[None]):
    """End one of the person's own tokens."""

    key: int
    name: ClassVar[str] = "token.end"
    roles: ClassVar[tuple[Role, ...]] = NOT_OWNERS

    def execute(self) -> None:
        """End it."""
        # Looked for among the own ones alone, so that others' numbers are as if there were none.
        token = self.actor.tokens.select_for_update().filter(pk=self.key, ended_at=None).first()
        if token is None:
            raise Missing(f"There is no token {self.key}.")
        token.ended_at = timezone.now()
        token.save(update_fields=["ended_at"])
        self.ended = token.name

    def detail(self) -> dict[str, Any]:
        """Return what it was called."""
        return {"name": self.ended}

"""Invite somebody by a link that is good once, take it back, or accept it."""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import timedelta
from typing import Any, ClassVar

from django.db import transaction
from django.utils import timezone

from accounts.action import Action, Missing
from accounts.models import AuditEntry, Invitation, Role, User
from accounts.naming import demand_free, person_named
from accounts.passwords import choose
from accounts.secret import fingerprint, made_secret
from rombel.errors import refuse

GOOD_FOR = timedelta(days=7)
PREFIX = "invited"


@dataclass
class Invite(Action[tuple[Invitation, str]]):
    """Invite a person under a name and a role."""

    username: str
    full_name: str
    role: Role
    name: ClassVar[str] = "person.invite"
    roles: ClassVar[tuple[Role, ...]] = (Role.LEAD,)

    def execute(self) -> tuple[Invitation, str]:
        """Return the invitation with its secret, which is part of the link and shown once."""
        self.username = self.username.strip()
        demand_free(self.username)
        waiting = open_invitations().filter(username=self.username)
        if waiting.exists():
            raise refuse("person.invited", "username", "This name is invited already.", "Take that one back first.")
        secret, digest = made_secret(PREFIX)
        self.made = Invitation.objects.create(
            username=self.username,
            full_name=self.full_name.strip(),
            role=self.role,
            digest=digest,
            made_by=self.actor,
            expires_at=timezone.now() + GOOD_FOR,
        )
        return self.made, secret

    def subject(self) -> str:
        """Return the invitation."""
        return f"invitation:{self.made.pk}"

    def detail(self) -> dict[str, Any]:
        """Return who is invited, as what."""
        return {"username": self.username, "role": self.role}


@dataclass
class WithdrawInvitation(Action[None]):
    """Let an invitation be good no more."""

    key: int
    name: ClassVar[str] = "person.uninvite"
    roles: ClassVar[tuple[Role, ...]] = (Role.LEAD,)

    def execute(self) -> None:
        """Take it back; ``Missing`` where it does not wait."""
        row = open_invitations().select_for_update().filter(pk=self.key).first()
        if row is None:
            raise Missing(f"There is no invitation {self.key}.")
        row.withdrawn_at = timezone.now()
        row.save(update_fields=["withdrawn_at"])
        self.username = row.username

    def subject(self) -> str:
        """Return the invitation."""
        return f"invitation:{self.key}"

    def detail(self) -> dict[str, Any]:
        """Return who was invited."""
        return {"username": self.username}


@dataclass
class AcceptInvitation:
    """Make the account that somebody is invited to; whoever has the link is nobody yet, so that this is no action of a person."""

    secret: str = field(repr=False)
    password: str = field(repr=False)

    def run(self) -> User:
        """Return the new person; the invitation is good no more.

        Raises
        ------
        Missing
            When it is unknown, over, taken back or was used.
        InputRefused
            When the password is not taken; the invitation stays good.

        """
        with transaction.atomic():
            # Held: of two who open the link at once, one gets the account.
            row = invitation_of(self.secret, held=True)
            demand_free(row.username)
            person = person_named(row.username, row.role, row.full_name)
            choose(person, self.password, "password")
            person.save()
            row.taken_at = timezone.now()
            row.save(update_fields=["taken_at"])
            AuditEntry.objects.create(
                actor=person, action="person.accept", subject=f"person:{person.pk}", detail={"invitation": row.pk}
            )
        return person


def open_invitations() -> Any:
    """Return the invitations that wait for somebody."""
    return Invitation.objects.filter(taken_at=None, withdrawn_at=None, expires_at__gt=timezone.now())


def invitation_of(secret: str, *, held: bool = False) -> Invitation:
    """Return the invitation of a link; ``Missing`` where there is none that waits."""
    rows = open_invitations()
    row: Invitation | None = (rows.select_for_update() if held else rows).filter(digest=fingerprint(secret)).first()
    if row is None:
        raise Missing("This link is not good any more. Ask whoever sent it for another one.")
    return row

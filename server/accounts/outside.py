"""Who comes from the organisation's identity provider, and which account is theirs."""

from __future__ import annotations

from dataclasses import dataclass

from django.db import IntegrityError, transaction

from accounts.models import AuditEntry, OutsideIdentity, User
from accounts.naming import TAKEN, demand_free, person_named
from rombel.errors import InputRefused


class NotLetIn(Exception):
    """Whoever comes is not signed in; its text names the reason: ``unknown``, ``locked``, ``taken``, ``other``."""


@dataclass(frozen=True, slots=True)
class Arrival:
    """Somebody as the provider told of them, its word checked: issuer, the subject that never changes, and names that may."""

    issuer: str
    subject: str
    username: str = ""
    full_name: str = ""


def person_of(arrival: Arrival, role: str) -> User:
    """Return the account of somebody who comes from outside.

    An account is theirs by issuer and subject alone: names and addresses of mail can be given to somebody else there.

    Parameters
    ----------
    arrival
        Who comes.
    role
        Of an account that is made for somebody new; empty: none is made.

    Raises
    ------
    NotLetIn
        When the account is locked, or there is none and none is made.

    """
    try:
        return _known(arrival) or _made(arrival, role)
    except IntegrityError:  # Two came at once: the account of the first is there by now.
        found = _known(arrival)
        if found is None:
            raise NotLetIn("taken") from None
        return found


def _known(arrival: Arrival) -> User | None:
    row = (
        OutsideIdentity.objects.select_related("person").filter(issuer=arrival.issuer, subject=arrival.subject).first()
    )
    if row is not None and not row.person.is_active:
        raise NotLetIn("locked")
    return None if row is None else row.person


def _made(arrival: Arrival, role: str) -> User:
    if not role:
        raise NotLetIn("unknown")
    try:
        demand_free(arrival.username)
    except InputRefused as refused:
        # A name that is somebody's here already may be of somebody else.
        raise NotLetIn("taken" if refused.faults[0].code == TAKEN else "unknown") from None
    person = person_named(arrival.username, role, arrival.full_name)
    person.set_unusable_password()
    with transaction.atomic():
        person.save()
        _bind(person, arrival, "person.arrive")
    return person


def connect(person: User, arrival: Arrival) -> None:
    """Let a person who is signed in come from outside from now on.

    Raises
    ------
    NotLetIn
        When whoever that is there is connected with another account, or the person with somebody else there.

    """
    if _known(arrival) == person:
        return
    try:
        with transaction.atomic():
            _bind(person, arrival, "person.connect")
    except IntegrityError:
        raise NotLetIn("other") from None


def _bind(person: User, arrival: Arrival, action: str) -> None:
    OutsideIdentity.objects.create(person=person, issuer=arrival.issuer, subject=arrival.subject)
    detail = {"issuer": arrival.issuer}
    AuditEntry.objects.create(actor=person, action=action, subject=f"person:{person.pk}", detail=detail)

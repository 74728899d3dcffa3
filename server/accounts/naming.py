"""Names under which people sign in, and accounts that are made under one."""

from __future__ import annotations

from django.core.exceptions import ValidationError

from accounts.models import User
from rombel.errors import Fault, InputRefused, refuse

TAKEN = "person.twice"


def demand_free(username: str) -> None:
    """Go on only where a name can be signed in with and is nobody's, in whatever capitals.

    Raises
    ------
    InputRefused
        With the code ``TAKEN`` where it is somebody's.

    """
    try:
        User(username=username, password="-").clean_fields(exclude=["password"])
    except ValidationError as error:
        fix = "Letters, digits and @ . + - _ make a name to sign in with."
        raise InputRefused([Fault("person.name", "username", reason, fix) for reason in error.messages]) from None
    if User.objects.filter(username__iexact=username).exists():
        raise refuse(TAKEN, "username", f"There is somebody named '{username}'.", "Choose another name.")


def person_named(username: str, role: str, full_name: str) -> User:
    """Return a new person, not saved, with no password yet."""
    first, _, last = full_name.partition(" ")
    return User(username=username, role=role, first_name=first[:150], last_name=last[:150])

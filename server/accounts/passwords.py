"""Which passwords are taken."""

from __future__ import annotations

from django.contrib.auth.password_validation import validate_password
from django.core.exceptions import ValidationError

from accounts.models import User
from rombel.errors import Fault, InputRefused


def choose(person: User, password: str, path: str) -> None:
    """Give a person a password, without saving it; ``path``: the field that it was typed in.

    Raises
    ------
    InputRefused
        With everything that is wrong with it.

    """
    try:
        validate_password(password, person)
    except ValidationError as error:
        fix = "Choose another one."
        raise InputRefused([Fault("password.new", path, reason, fix) for reason in error.messages]) from None
    person.set_password(password)

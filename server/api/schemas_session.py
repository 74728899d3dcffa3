"""Who signs in, as it is sent."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from api.answer import Answer
from api.schemas import Name
from api.strict import Body


class SignIn(Body):
    """Name and password."""

    username: Name
    password: Annotated[str, Field(max_length=200)]


class PasswordIn(Body):
    """One's own password, and the one that takes its place."""

    old: Annotated[str, Field(max_length=200)]
    new: Annotated[str, Field(max_length=200)]


class PersonOut(Answer):
    """Who is signed in."""

    username: str
    full_name: str
    role: Literal["owner", "viewer", "planner", "lead"]
    outside: bool

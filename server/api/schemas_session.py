"""Who signs in, as it is sent."""

from __future__ import annotations

from typing import Annotated, Literal

from ninja import Schema
from pydantic import Field

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


class PersonOut(Schema):
    """Who is signed in."""

    username: str
    full_name: str
    role: Literal["owner", "viewer", "planner", "lead"]
    outside: bool

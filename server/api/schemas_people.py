"""People of the house, sessions, tokens and invitations, as they are sent."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Literal

from pydantic import Field

from api.answer import Answer
from api.schemas import Name
from api.strict import Body

RoleName = Literal["owner", "viewer", "planner", "lead"]
ScopeName = Literal["read", "fit", "change"]
Secret = Annotated[str, Field(min_length=1, max_length=120)]


class OutsideWayOut(Answer):
    """Where to go next."""

    address: str


class SessionOut(Answer):
    """A session that is open."""

    id: int
    opened_at: datetime
    address: str
    agent: str
    here: bool


class TokenIn(Body):
    """A token to be made."""

    name: Annotated[str, Field(max_length=80)]
    scopes: Annotated[list[ScopeName], Field(max_length=3)]
    days: Annotated[int, Field(ge=1, le=366)]


class TokenOut(Answer):
    """A token that is not ended; never what it is."""

    id: int
    name: str
    scopes: list[ScopeName]
    made_at: datetime
    expires_at: datetime
    used_at: datetime | None


class MadeTokenOut(TokenOut):
    """A token with its secret, this once."""

    secret: str


class HousePersonOut(Answer):
    """A person of the house, as a lead sees them."""

    id: int
    username: str
    full_name: str
    role: RoleName
    locked: bool
    last_sign_in: datetime | None
    sessions: int
    tokens: int


class PersonChange(Body):
    """What is changed of a person."""

    role: RoleName | None = None
    locked: bool | None = None


class InvitationIn(Body):
    """Who is invited, as what."""

    username: Name
    full_name: Annotated[str, Field(max_length=200)] = ""
    role: RoleName


class InvitationOut(Answer):
    """An invitation that waits."""

    id: int
    username: str
    full_name: str
    role: RoleName
    made_at: datetime
    expires_at: datetime


class MadeInvitationOut(InvitationOut):
    """An invitation with the secret that its link ends in, this once."""

    secret: str


class HousePeopleOut(Answer):
    """Everybody, and who is invited."""

    people: list[HousePersonOut]
    invitations: list[InvitationOut]


class InvitedIn(Body):
    """The secret that a link ends in."""

    secret: Secret


class InvitedOut(Answer):
    """Who a link invites."""

    username: str
    full_name: str
    role: RoleName


class AcceptInvitationIn(InvitedIn):
    """The password of the account that is made."""

    password: Annotated[str, Field(max_length=200)]

"""The addresses of people, sessions, tokens and invitations: look up, act, return."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, TypeVar

from django.db.models import Count, Q
from django.http import HttpRequest
from django.utils import timezone
from ninja import Router, Status

from accounts import throttle
from accounts.action import Missing, NotAllowed
from accounts.actions.change_person import ChangePerson
from accounts.actions.end_sessions import EndSessions
from accounts.actions.invite import AcceptInvitation, Invite, WithdrawInvitation, invitation_of, open_invitations
from accounts.actions.own_tokens import EndToken, MakeToken
from accounts.models import Role, Scope, User
from accounts.sessions import open_sessions, sessions_open
from api import schemas_people as schemas
from api.outside import ProviderAway, way_to_connect
from api.present import person as shown_person
from api.schemas_session import PersonOut
from api.session import address_of, enter, key_of, unhurried, user_of
from rombel.errors import refuse

people = Router()
T = TypeVar("T")


@people.get("/sessions", operation_id="listSessions", response=list[schemas.SessionOut])
def list_sessions(request: HttpRequest) -> Any:
    """List one's own sessions that are open."""
    here = key_of(request)
    return [
        {name: getattr(row, name) for name in ("id", "opened_at", "address", "agent")} | {"here": row.key == here}
        for row in open_sessions(user_of(request))
    ]


@people.delete("/sessions", operation_id="endOtherSessions", response={204: None})
def end_other_sessions(request: HttpRequest) -> Any:
    """End every session of one's own but this one."""
    EndSessions(user_of(request), key_of(request)).run()
    return Status(204, None)


@people.delete("/sessions/{session_id}", operation_id="endSession", response={204: None})
def end_session(request: HttpRequest, session_id: int) -> Any:
    """End one of one's own sessions."""
    EndSessions(user_of(request), key_of(request), session_id).run()
    return Status(204, None)


@people.post("/session/outside", operation_id="connectOutside", response=schemas.OutsideWayOut)
def connect_outside(request: HttpRequest) -> Any:
    """Begin to connect one's own account with who one is at the organisation's identity provider."""
    try:
        return {"address": way_to_connect(request)}
    except ProviderAway:
        # Not 503, at which the page waits for our own server to come back.
        fix = "Try again in a moment."
        raise refuse("outside.away", "", "The identity provider does not answer.", fix) from None


@people.get("/tokens", operation_id="listTokens", response=list[schemas.TokenOut])
def list_tokens(request: HttpRequest) -> Any:
    """List one's own tokens that are not ended; of one that is over, that it is."""
    return user_of(request).tokens.filter(ended_at=None)


@people.post("/tokens", operation_id="makeToken", response={201: schemas.MadeTokenOut})
def make_token(request: HttpRequest, body: schemas.TokenIn) -> Any:
    """Make a token; what it is is told this once."""
    scopes = [Scope(name) for name in body.scopes]
    token, secret = MakeToken(user_of(request), body.name, scopes, body.days).run()
    return Status(201, {**schemas.TokenOut.from_orm(token).dict(), "secret": secret})


@people.delete("/tokens/{token_id}", operation_id="endToken", response={204: None})
def end_token(request: HttpRequest, token_id: int) -> Any:
    """End one of one's own tokens."""
    EndToken(user_of(request), token_id).run()
    return Status(204, None)


@people.get("/people", operation_id="listPeople", response=schemas.HousePeopleOut)
def list_people(request: HttpRequest) -> Any:
    """List everybody and who is invited; to leads alone."""
    if user_of(request).role != Role.LEAD:
        raise NotAllowed("Only a lead sees who there is.")
    sessions = sessions_open()
    people = [{**_person(row), "sessions": sessions.get(row.pk, 0)} for row in _everybody()]
    return {"people": people, "invitations": list(open_invitations())}


@people.patch("/people/{person_id}", operation_id="changePerson", response={204: None})
def change_person(request: HttpRequest, person_id: int, body: schemas.PersonChange) -> Any:
    """Give another role, lock somebody out, or let somebody in again."""
    role = None if body.role is None else Role(body.role)
    ChangePerson(user_of(request), person_id, role, body.locked).run()
    return Status(204, None)


@people.post("/invitations", operation_id="invitePerson", response={201: schemas.MadeInvitationOut})
def invite_person(request: HttpRequest, body: schemas.InvitationIn) -> Any:
    """Invite somebody; what the link ends in is told this once."""
    row, secret = Invite(user_of(request), body.username, body.full_name, Role(body.role)).run()
    return Status(201, {**schemas.InvitationOut.from_orm(row).dict(), "secret": secret})


@people.delete("/invitations/{invitation_id}", operation_id="withdrawInvitation", response={204: None})
def withdraw_invitation(request: HttpRequest, invitation_id: int) -> Any:
    """Take an invitation back."""
    WithdrawInvitation(user_of(request), invitation_id).run()
    return Status(204, None)


# In the body and not in the address, which is written down wherever a request passes.
@people.post("/invited/shown", auth=None, operation_id="showInvitation", response=schemas.InvitedOut)
def show_invitation(request: HttpRequest, body: schemas.InvitedIn) -> Any:
    """Say whom a link invites."""
    unhurried(request, show_invitation, _asker(request))
    return _known(request, lambda: invitation_of(body.secret))


@people.post("/invited/accepted", auth=None, operation_id="acceptInvitation", response=PersonOut)
def accept_invitation(request: HttpRequest, body: schemas.AcceptInvitationIn) -> Any:
    """Make the account that a link invites to, and sign in."""
    unhurried(request, accept_invitation, _asker(request))
    person = _known(request, AcceptInvitation(body.secret, body.password).run)
    enter(request, person)
    return shown_person(person)


def _asker(request: HttpRequest) -> str:
    """Return under what tries of links are counted, as there is no name yet."""
    return f"an invitation {address_of(request)}"


def _known(request: HttpRequest, found: Callable[[], T]) -> T:
    """Return what a link leads to; one that leads nowhere counts as a failure."""
    try:
        return found()
    except Missing:
        throttle.failed(_asker(request), address_of(request))
        raise


def _everybody() -> Any:
    living = Count("tokens", filter=Q(tokens__ended_at=None, tokens__expires_at__gt=timezone.now()), distinct=True)
    return User.objects.annotate(living_tokens=living).order_by("username")


def _person(row: Any) -> dict[str, Any]:
    return {
        "id": row.pk,
        **shown_person(row),
        "locked": not row.is_active,
        "last_sign_in": row.last_login,
        "tokens": row.living_tokens,
    }

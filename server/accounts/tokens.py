"""Whose a token is, and what it lets them do."""

from __future__ import annotations

import re
from datetime import timedelta

from django.utils import timezone

from accounts.models import Scope, Token
from accounts.secret import fingerprint

PREFIX = "rombel"
LOOKED_AT = timedelta(minutes=1)
"""When a token was used last is kept to the minute: a pipeline that asks a hundred times writes once."""
_FITTING = re.compile(r"/api/(variants/\d+/(runs|inquiries|sweeps)|(runs|inquiries|sweeps)/\d+/stop|sweeps/\d+/resume)")
_ACCOUNTS = re.compile(r"/api/(session|sessions|tokens|people|invitations|invited|operations)(/|$)")
_DECISIONS = re.compile(r"/api/(house|sign-offs)(/|$)|.*/sign-offs$")
"""What takes a person: accounts, whatever is asked of them; house rules and what is signed, where that is changed."""


def token_of(secret: str) -> Token | None:
    """Return a token that holds; None: it is unknown, over or ended, or its person is locked out."""
    now = timezone.now()
    rows = Token.objects.select_related("person").filter(digest=fingerprint(secret), ended_at=None, expires_at__gt=now)
    token = rows.filter(person__is_active=True).first()
    if token is not None and (token.used_at is None or now - token.used_at > LOOKED_AT):
        Token.objects.filter(pk=token.pk).update(used_at=now)
    return token


def scope_of(method: str, path: str) -> Scope | None:
    """Return what a token needs for a request; None: no token does, as it takes a person."""
    path = path.rstrip("/")
    if _ACCOUNTS.match(path):
        return None
    if method in ("GET", "HEAD", "OPTIONS"):
        return Scope.READ
    if _DECISIONS.match(path):
        return None
    return Scope.FIT if _FITTING.fullmatch(path) else Scope.CHANGE

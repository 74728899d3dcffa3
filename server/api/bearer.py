"""Tokens in place of a session, for pipelines."""

from __future__ import annotations

import logging
from typing import Any

from django.http import HttpRequest, HttpResponse
from ninja.security import HttpBearer

from accounts.models import Token
from accounts.tokens import scope_of, token_of
from api.problems import problem
from api.session import address_of

log = logging.getLogger("rombel.accounts")


def refused_token(request: HttpRequest) -> HttpResponse | None:
    """Let a token stand for its person; return why it does not. A request without one goes on as it is."""
    header = request.headers.get("Authorization")
    if header is None:
        return None
    kind, _, secret = header.partition(" ")
    token = token_of(secret.strip()) if kind.lower() == "bearer" else None
    if token is None:
        log.warning("a token was refused", extra={"address": address_of(request)})
        return problem(401, "This token is unknown, ended or over. Make another one, or sign in.", "token")
    scope = scope_of(request.method or "", request.path)
    if scope is None:
        return problem(403, "This takes a person who is signed in; no token does it.", "token.person")
    if scope not in token.scopes:
        return problem(403, f"This token may not do this: it lacks the scope '{scope}'.", "token.scope")
    request.user = token.person
    request.rombel_token = token  # type: ignore[attr-defined]
    return None


def used_token(request: HttpRequest) -> Token | None:
    """Return the token that a request came with."""
    return getattr(request, "rombel_token", None)


class TokenAuth(HttpBearer):
    """Lets in who the gate knows by a token: there is no cookie, and so nothing that another page could send along."""

    def authenticate(self, request: HttpRequest, token: str) -> Any:
        """Return the token; None: the gate has not let it in."""
        return used_token(request)

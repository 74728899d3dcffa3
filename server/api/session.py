"""Who sent a request."""

from __future__ import annotations

from django.http import HttpRequest

from accounts.models import User


def user_of(request: HttpRequest) -> User:
    """Return the person signed in; the API lets nobody else in."""
    assert isinstance(request.user, User)
    return request.user

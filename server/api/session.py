"""Who sent a request."""

from __future__ import annotations

from django.conf import settings
from django.http import HttpRequest

from accounts.models import User


def address_of(request: HttpRequest) -> str:
    """Return the address that a request came from: as the outermost of our own proxies saw it, who each append to X-Forwarded-For.

    What stands further left in the header its sender wrote, and may have made up. Fewer entries than proxies: it came around some of them.
    """
    proxies = settings.INSTALLATION.proxies
    seen = [own.strip() for own in request.headers.get("X-Forwarded-For", "").split(",") if own.strip()]
    return seen[-proxies] if proxies and len(seen) >= proxies else str(request.META.get("REMOTE_ADDR", ""))


def user_of(request: HttpRequest) -> User:
    """Return the person signed in; the API lets nobody else in."""
    assert isinstance(request.user, User)
    return request.user

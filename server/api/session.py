"""Who sent a request, and how somebody signs in."""

from __future__ import annotations

from typing import Any

from django.conf import settings
from django.contrib.auth import login
from django.http import HttpRequest
from ninja.errors import HttpError
from ninja.utils import check_csrf

from accounts import throttle
from accounts.models import User
from accounts.sessions import opened


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


def key_of(request: HttpRequest) -> str:
    """Return the key of the session that a request came with; empty where it has none."""
    return request.session.session_key or ""


def unhurried(request: HttpRequest, view: Any, name: str, then: str = "") -> None:
    """Let somebody who is not signed in go on where a page of ours asks, and not too often; ``name``: under what tries are counted.

    ``then``: what there is to do once the page was loaded again.
    """
    # The framework checks the token of whoever is signed in; here nobody is yet.
    if check_csrf(request, view) is not None:
        raise HttpError(403, f"The page is out of date. Load it again{then}.")
    # Waiting is told before anything is looked at, whether there is such a name or not.
    if wait := throttle.waiting_s(name, address_of(request)):
        raise HttpError(429, f"Too many tries. Wait {wait} s, then try again.")


def enter(request: HttpRequest, person: User) -> None:
    """Sign a person in, and keep that there is a session more."""
    login(request, person, "django.contrib.auth.backends.ModelBackend")
    opened(person, key_of(request), address_of(request), request.headers.get("User-Agent", ""))

"""Signing in at the organisation's own identity provider (OpenID Connect Core 1.0, authorization code with PKCE, RFC 7636).

Authlib speaks with the provider and checks what it says: signature, issuer, audience, time and nonce of its token.
"""

from __future__ import annotations

import logging
from functools import cache
from typing import Any

from authlib.integrations.base_client import OAuthError
from authlib.integrations.django_client import OAuth
from django.conf import settings
from django.http import HttpRequest, HttpResponse, HttpResponseRedirect
from django.views.decorators.http import require_GET
from joserfc.errors import JoseError
from requests import RequestException

from accounts.action import Missing
from accounts.models import User
from accounts.outside import Arrival, NotLetIn, connect, person_of
from api.session import enter
from config.environment import Environment

log = logging.getLogger("rombel.accounts")

BACK = "/outside/back"
WAITS_S = 10
"""So long an answer of the provider is waited for."""
_CONNECTS = "outside_connects"


@cache
def client_of(own: Environment) -> Any:
    """Return what speaks with the provider that an installation states."""
    known = OAuth()
    return known.register(
        "house",
        client_id=own.oidc_client_id,
        client_secret=own.oidc_client_secret.get_secret_value(),
        server_metadata_url=f"{own.oidc_issuer.rstrip('/')}/.well-known/openid-configuration",
        client_kwargs={"scope": "openid profile", "code_challenge_method": "S256", "default_timeout": WAITS_S},
    )


def provider() -> Any:
    """Return what speaks with the provider; ``Missing`` where the installation states none."""
    if not settings.INSTALLATION.oidc_issuer:
        raise Missing("This installation has no identity provider.")
    return client_of(settings.INSTALLATION)


class ProviderAway(Exception):
    """The identity provider does not answer, or not as one does."""


def _way(request: HttpRequest) -> dict[str, str]:
    """Return where the browser goes (``url``) and what has to come back with it (``state``); both are kept in the session."""
    client, back = provider(), request.build_absolute_uri(BACK)
    try:
        way: dict[str, str] = client.create_authorization_url(back)
    # What the provider publishes of itself may be no JSON, lack an address, or name none.
    except (RequestException, ValueError, KeyError, RuntimeError) as error:
        log.warning("the identity provider is away", extra={"kind": type(error).__name__})
        raise ProviderAway from None
    client.save_authorize_data(request, redirect_uri=back, **way)
    return way


@require_GET
def begin(request: HttpRequest) -> HttpResponse:
    """Send somebody who wishes to sign in to the provider."""
    try:
        return HttpResponseRedirect(_way(request)["url"])
    except Missing:
        return _refused("unknown")
    except ProviderAway:
        return _refused("away")


def way_to_connect(request: HttpRequest) -> str:
    """Return where the person who is signed in goes to say who they are there; only what begins here connects when it comes back.

    Raises
    ------
    Missing
        When the installation has no provider.
    ProviderAway
        When it does not answer.

    """
    way = _way(request)
    request.session[_CONNECTS] = way["state"]
    return way["url"]


@require_GET
def back(request: HttpRequest) -> HttpResponse:
    """Take whoever comes back from the provider: sign them in, or connect the account that is signed in."""
    # Taken out at once: it is good for one return, however that ends.
    connects = request.session.pop(_CONNECTS, None)
    try:
        told = provider().authorize_access_token(request)["userinfo"]
        arrival = Arrival(
            settings.INSTALLATION.oidc_issuer,
            str(told["sub"])[:255],
            str(told.get("preferred_username", ""))[:150],
            str(told.get("name", ""))[:300],
        )
        # Only the way that was begun here connects: a link to the way back, sent by somebody else, must not.
        if connects is not None and connects == request.GET.get("state") and isinstance(request.user, User):
            connect(request.user, arrival)
            return HttpResponseRedirect("/account")
        enter(request, person_of(arrival, settings.INSTALLATION.oidc_role))
    except NotLetIn as refused:
        log.warning("somebody from the identity provider was not let in", extra={"why": str(refused)})
        return _refused(str(refused))
    except Missing:
        return _refused("unknown")
    except (OAuthError, JoseError, KeyError, ValueError) as error:
        log.warning("the identity provider's word does not hold", extra={"kind": type(error).__name__})
        return _refused("wrong")
    except RequestException:
        return _refused("away")
    return HttpResponseRedirect("/")


def _refused(why: str) -> HttpResponse:
    return HttpResponseRedirect(f"/sign-in?refused={why}")

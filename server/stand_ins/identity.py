"""A made-up identity provider of an organisation, as OpenID Connect has it; nobody types a password there, one chooses who one is."""

from __future__ import annotations

import base64
import hashlib
import html
import json
import secrets
import time
from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from typing import Any
from urllib.parse import parse_qs, urlencode

from joserfc import jwt
from joserfc.jwk import RSAKey

LASTS_S = 300


@dataclass
class IdentityProvider:
    """A WSGI application (PEP 3333): metadata, keys, a page on which one chooses who one is, and tokens.

    Parameters
    ----------
    people
        By subject, what is told of them.
    client
        Name and secret of the one client that it knows.
    changed
        What its tokens say otherwise than is true, for tests of who believes it.

    """

    people: dict[str, dict[str, str]]
    client: tuple[str, str]
    issuer: str = ""
    changed: dict[str, Any] = field(default_factory=dict)

    def __post_init__(self) -> None:
        """Make a key that goes with the process."""
        self.key = RSAKey.generate_key(2048, {"kid": "made-up", "use": "sig", "alg": "RS256"})
        self._codes: dict[str, dict[str, str]] = {}

    def __call__(self, environ: dict[str, Any], start_response: Callable[..., Any]) -> Iterable[bytes]:
        """Answer a request."""
        self.issuer = self.issuer or f"http://{environ['HTTP_HOST']}"
        given = {name: values[0] for name, values in parse_qs(environ.get("QUERY_STRING", "")).items()}
        path = environ["PATH_INFO"]
        if path == "/.well-known/openid-configuration":
            return self._json(start_response, self._metadata())
        if path == "/keys":
            return self._json(start_response, {"keys": [self.key.as_dict(private=False)]})
        if path == "/choose":
            return self._choose(start_response, given)
        if path == "/token" and environ["REQUEST_METHOD"] == "POST":
            size = int(environ.get("CONTENT_LENGTH") or 0)
            form = {name: values[0] for name, values in parse_qs(environ["wsgi.input"].read(size).decode()).items()}
            return self._token(start_response, form, environ.get("HTTP_AUTHORIZATION", ""))
        start_response("404 Not Found", [])
        return [b""]

    def _metadata(self) -> dict[str, Any]:
        return {
            "issuer": self.issuer,
            "authorization_endpoint": f"{self.issuer}/choose",
            "token_endpoint": f"{self.issuer}/token",
            "jwks_uri": f"{self.issuer}/keys",
            "response_types_supported": ["code"],
            "subject_types_supported": ["public"],
            "id_token_signing_alg_values_supported": ["RS256"],
        }

    def _choose(self, start_response: Callable[..., Any], given: dict[str, str]) -> Iterable[bytes]:
        """Send whoever chose back with a code; show the choice before."""
        if given.get("as") in self.people:
            code = secrets.token_urlsafe(16)
            self._codes[code] = given
            back = urlencode({"code": code, "state": given["state"]})
            start_response("302 Found", [("Location", f"{given['redirect_uri']}?{back}")])
            return [b""]
        ways = "".join(
            f'<p><a href="?{html.escape(urlencode({**given, "as": subject}))}">{html.escape(told["name"])}</a></p>'
            for subject, told in self.people.items()
        )
        start_response("200 OK", [("Content-Type", "text/html; charset=utf-8")])
        return [f"<!doctype html><title>Who are you?</title><h1>Who are you?</h1>{ways}".encode()]

    def _token(self, start_response: Callable[..., Any], form: dict[str, str], sent: str) -> Iterable[bytes]:
        """Give a token for a code, once, to the client that the code was made for."""
        asked = self._codes.pop(form.get("code", ""), None)
        kept = base64.b64encode(":".join(self.client).encode()).decode()
        proof = (
            base64.urlsafe_b64encode(hashlib.sha256(form.get("code_verifier", "").encode()).digest())
            .rstrip(b"=")
            .decode()
        )
        if asked is None or sent != f"Basic {kept}" or proof != asked.get("code_challenge"):
            return self._json(start_response, {"error": "invalid_grant"}, "400 Bad Request")
        now = int(time.time())
        claims = {
            "iss": self.issuer,
            "aud": self.client[0],
            "sub": asked["as"],
            "iat": now,
            "exp": now + LASTS_S,
            "nonce": asked.get("nonce", ""),
            **self.people[asked["as"]],
            **self.changed,
        }
        token = jwt.encode({"alg": "RS256", "kid": "made-up"}, claims, self.key)
        told = {
            "access_token": secrets.token_urlsafe(16),
            "token_type": "Bearer",
            "expires_in": LASTS_S,
            "id_token": token,
        }
        return self._json(start_response, told)

    def _json(self, start_response: Callable[..., Any], value: Any, status: str = "200 OK") -> Iterable[bytes]:
        start_response(status, [("Content-Type", "application/json")])
        return [json.dumps(value).encode()]

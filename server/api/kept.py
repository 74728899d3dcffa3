"""Answers that cost what changed: a study's version is their address in a cache, and whoever has the answer of it is told that it still holds."""

from __future__ import annotations

import gzip
import hashlib
from collections.abc import Callable
from datetime import UTC, datetime
from functools import wraps
from typing import Any

from django.core.cache import caches
from django.http import HttpRequest, HttpResponse
from django.utils.cache import get_conditional_response, patch_vary_headers

from api.session import user_of
from api.visible import numbers_in, seen_variant
from config.one_look import one_look
from jobs.versions import server_version
from runs.versions import Seen

View = Callable[..., HttpResponse]
KEPT_S = 3600
"""An answer that nobody asks for is dropped after an hour."""
LEVEL = 4
"""Of compression: higher ones take three times as long for a tenth less."""


def by_version(view: View, unless: Callable[[HttpRequest], bool] | None = None) -> View:
    """Return the view of an answer about a variant that is made from its study, the house's rules and lists, the day, and the person's part in the study alone.

    It is made once a version for all who see the same. Asked with ``If-None-Match``, it is 304 while nothing changed. ``unless``: whether
    what a request asks for depends on more.
    """

    @wraps(view)
    def answered(request: HttpRequest, *args: Any, **parts: Any) -> HttpResponse:
        # Where nothing is there the view says so in its own words.
        seen = None if unless is not None and unless(request) else _seen(request, parts)
        if seen is None:
            return view(request, *args, **parts)
        tag = _tag(request, seen)
        known = get_conditional_response(request, etag=f'W/"{tag}"')
        if known is not None:
            return known
        shared = caches["shared"]
        body: bytes | None = shared.get(tag)
        if body is None:
            with one_look(seen.house):
                response = view(request, *args, **parts)
            if response.status_code != 200:
                return response
            body = gzip.compress(response.content, LEVEL)
            shared.set(tag, body, KEPT_S)
        return _sent(request, tag, body)

    return answered


def _seen(request: HttpRequest, parts: dict[str, Any]) -> Seen | None:
    variant = numbers_in(parts).get("variant_id")
    return None if variant is None else seen_variant(request, user_of(request), variant)


def _tag(request: HttpRequest, seen: Seen) -> str:
    """Return the fingerprint of all that the answer depends on; dates are told against today's."""
    told = (request.get_full_path(), seen, request.user.role, datetime.now(UTC).date(), server_version())  # type: ignore[union-attr]
    return hashlib.sha256(repr(told).encode()).hexdigest()[:40]


def _sent(request: HttpRequest, tag: str, body: bytes) -> HttpResponse:
    zipped = "gzip" in request.headers.get("Accept-Encoding", "")
    response = HttpResponse(body if zipped else gzip.decompress(body), content_type="application/json; charset=utf-8")
    if zipped:
        response.headers["Content-Encoding"] = "gzip"
    response.headers["ETag"] = f'W/"{tag}"'
    patch_vary_headers(response, ("Accept-Encoding",))
    return response

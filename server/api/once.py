"""Requests that carry an ``Idempotency-Key``: sent twice, by a page that lost its answer, they are done once."""

from __future__ import annotations

import hashlib
import re
from collections.abc import Callable
from datetime import timedelta

from django.db import IntegrityError, transaction
from django.http import HttpRequest, HttpResponse
from django.utils import timezone

from accounts.models import SentOnce, User
from api.problems import problem

HEADER = "Idempotency-Key"
KEPT = timedelta(hours=24)
STUCK = timedelta(minutes=2)
"""A request that was not answered for so long was lost with its server."""
_KEY = re.compile(r"[\x21-\x7e]{8,80}")


def answered_once(request: HttpRequest, answer: Callable[[HttpRequest], HttpResponse]) -> HttpResponse:
    """Return the answer of a request; of one sent again, the first answer."""
    key = request.headers.get(HEADER)
    if request.method != "POST" or key is None or not isinstance(request.user, User):
        return answer(request)
    if not _KEY.fullmatch(key):
        return problem(400, f"{HEADER} is 8 to 80 plain characters.", "request.key")
    # The digest tells the same request apart from another one that was given the same key.
    digest = hashlib.sha256(f"{request.method} {request.get_full_path()}\n".encode() + request.body).hexdigest()
    now = timezone.now()
    # Cleared on the way, so that no task of its own is needed.
    SentOnce.objects.filter(at__lt=now - KEPT).delete()
    SentOnce.objects.filter(actor=request.user, key=key, status=0, at__lt=now - STUCK).delete()
    try:
        # The unique key decides who is first, also between two processes.
        with transaction.atomic():
            row = SentOnce.objects.create(actor=request.user, key=key, digest=digest)
    except IntegrityError:
        return _again(request.user, key, digest)
    response = answer(request)
    # A failure of ours is not kept: the request may be tried again.
    if response.status_code >= 500 or response.streaming:
        row.delete()
        return response
    kind = response.headers.get("Content-Type", "")[:80]
    SentOnce.objects.filter(pk=row.pk).update(status=response.status_code, content=response.content, content_type=kind)
    return response


def _again(user: User, key: str, digest: str) -> HttpResponse:
    """Return the answer that the key was given, or why there is none to give."""
    row = SentOnce.objects.filter(actor=user, key=key).first()
    if row is not None and row.digest != digest:
        return problem(422, "This key was used for another request. Use a new one.", "request.key")
    if row is None or row.status == 0:
        answer = problem(409, "The same request is being answered. Wait a moment.", "request.twice")
        answer.headers["Retry-After"] = "1"
        return answer
    return HttpResponse(bytes(row.content), status=row.status, content_type=row.content_type)

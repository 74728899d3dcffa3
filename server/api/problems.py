"""Every exception as RFC 9457 problem+json."""

from __future__ import annotations

import errno
import logging
from collections.abc import Callable, Sequence
from dataclasses import asdict
from typing import Any

from django.conf import settings
from django.core.exceptions import RequestDataTooBig
from django.db import DataError, IntegrityError, InterfaceError, OperationalError
from django.http import HttpRequest, HttpResponse, JsonResponse, UnreadablePostError
from django.http.multipartparser import MultiPartParserError
from ninja import NinjaAPI
from ninja.errors import AuthenticationError, HttpError, ValidationError
from psycopg.errors import DiskFull

from accounts.action import Missing, NotAllowed, Overtaken
from api.limit import TookTooLong
from rombel.errors import Fault, InputRefused

log = logging.getLogger("rombel.api")

Answer = Callable[[Any], HttpResponse]
"""From an exception to what is answered."""

MOST_FAULTS = 200
"""Faults told of one request."""


def fault_list(faults: Sequence[Fault]) -> list[dict[str, Any]]:
    """Return faults as they are told: the first of very many, and how many more there are."""
    # Thousands of faults would be a body that nobody reads.
    told = [asdict(fault) for fault in faults[:MOST_FAULTS]]
    if len(faults) > MOST_FAULTS:
        more = Fault("faults.more", "", f"There are {len(faults) - MOST_FAULTS} more faults.", "Fix these first.")
        told.append(asdict(more))
    return told


def problem(status: int, title: str, code: str, faults: list[dict[str, Any]] | None = None) -> HttpResponse:
    """Return a problem document."""
    body = {"type": "about:blank", "title": title, "status": status, "code": code, "faults": faults or []}
    return JsonResponse(body, status=status, content_type="application/problem+json")


FULL = (errno.ENOSPC, errno.EDQUOT, errno.EFBIG)
"""What a system says when a disk takes no more."""


def database_down(error: Exception) -> HttpResponse:
    """Return that the database cannot be reached or takes no more: what was sent may be sent again."""
    log.error("the database is down: %s", type(error.__cause__ or error).__name__)
    if isinstance(error.__cause__, DiskFull):
        return _later("The database's disk is full: nothing was changed, and what you typed is kept.", "database.full")
    return _later("The database is down; what you typed is kept. Try again in a moment.", "database.away")


def _later(title: str, code: str) -> HttpResponse:
    answer = problem(503, title, code)
    answer.headers["Retry-After"] = "3"
    return answer


def too_long() -> HttpResponse:
    """Return that a request took longer than any may."""
    log.error("a request took too long")
    return problem(
        504, "This takes too long to be answered at once; nothing was changed. Ask for less.", "request.long"
    )


def _refused(error: InputRefused) -> HttpResponse:
    return problem(422, "The input was refused; nothing was changed.", error.code, fault_list(error.faults))


def _no_room(error: OSError) -> HttpResponse:
    if error.errno not in FULL:
        return _defect(error)
    log.error("no room for what is sent", exc_info=error)
    return _later(
        "The disk that takes what is sent is full; nothing was changed. Tell whoever runs Rombel.", "disk.full"
    )


def _overdue(_: Exception) -> HttpResponse:
    return too_long()


def _broken_form(_: Exception) -> HttpResponse:
    return problem(400, "The form is broken or did not arrive whole.", "request.form")


def _taken(_: Exception) -> HttpResponse:
    return problem(409, "Somebody else took this name a moment ago; nothing was changed. Choose another.", "twice")


def _does_not_fit(error: Exception) -> HttpResponse:
    # The gate refuses what no column holds; whatever comes this far shows that it has a hole.
    log.error("a value was not refused at the door", exc_info=error)
    return problem(422, "A value is too long or too large to be kept; nothing was changed.", "request.value")


def _no_value(error: Exception) -> HttpResponse:
    log.error("a value was not refused at the door", exc_info=error)
    if "NUL" in str(error):  # So the database's driver says it, with a plain ValueError.
        return problem(422, "A text has a control character; nothing was changed.", "request.text")
    return _defect(error)


def _invalid(error: ValidationError) -> HttpResponse:
    faults = [
        {
            "code": f"request.{entry['type']}",
            "path": ".".join(str(part) for part in entry["loc"]),
            "reason": f"{entry['msg']}.",
            "fix": "Compare with the published contract.",
            "line": 0,
            "column": 0,
        }
        for entry in error.errors
    ]
    return problem(422, "The request does not meet the contract.", "request", faults)


def _too_big(_: Exception) -> HttpResponse:
    most = settings.DATA_UPLOAD_MAX_MEMORY_SIZE // 2**20
    return problem(413, f"The request is larger than {most} MiB. Send it in parts.", "request.large")


def _http(error: HttpError) -> HttpResponse:
    return problem(error.status_code, str(error), "http")


def _defect(error: Exception) -> HttpResponse:
    log.error("request failed", exc_info=error)
    return problem(500, "Something failed on our side; nothing was changed.", "server")


def _in_own_words(status: int, code: str) -> Answer:
    """Return the answer of an error whose text is written for people."""
    return lambda error: problem(status, str(error), code)


ANSWERS: tuple[tuple[type[Exception], Answer], ...] = (
    (InputRefused, _refused),
    (OperationalError, database_down),
    (InterfaceError, database_down),
    (OSError, _no_room),
    (TookTooLong, _overdue),
    (MultiPartParserError, _broken_form),
    (UnreadablePostError, _broken_form),
    (IntegrityError, _taken),
    (Overtaken, _in_own_words(409, "overtaken")),
    (DataError, _does_not_fit),
    (ValueError, _no_value),
    (NotAllowed, _in_own_words(403, "role")),
    (Missing, _in_own_words(404, "missing")),
    (AuthenticationError, lambda _: problem(401, "Sign in first.", "session")),
    (HttpError, _http),
    (ValidationError, _invalid),
    (RequestDataTooBig, _too_big),
    (Exception, _defect),
)
"""How each exception is answered; of several that hold the nearest class counts."""


def register(api: NinjaAPI) -> None:
    """Tell the API how each exception is answered."""
    for kind, answer in ANSWERS:
        api.add_exception_handler(kind, _handler(answer))


def _handler(answer: Answer) -> Callable[[HttpRequest, Any], HttpResponse]:
    return lambda _, error: answer(error)

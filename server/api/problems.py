"""Every exception as RFC 9457 problem+json."""

from __future__ import annotations

import logging
from collections.abc import Sequence
from dataclasses import asdict
from typing import Any

from django.conf import settings
from django.core.exceptions import RequestDataTooBig
from django.db import DataError, IntegrityError, InterfaceError, OperationalError
from django.http import HttpRequest, HttpResponse, JsonResponse, UnreadablePostError
from django.http.multipartparser import MultiPartParserError
from ninja import NinjaAPI
from ninja.errors import AuthenticationError, HttpError, ValidationError

from accounts.action import Missing, NotAllowed, Overtaken
from api.limit import TookTooLong
from rombel.errors import Fault, InputRefused

log = logging.getLogger("rombel.api")


MOST_FAULTS = 200
"""Faults told of one request."""


def fault_list(faults: Sequence[Fault]) -> list[dict[str, Any]]:
    """Return faults as they are told: the first of very many, and how many more there are."""
    told = [asdict(fault) for fault in faults[:MOST_FAULTS]]
    if len(faults) > MOST_FAULTS:
        more = Fault("faults.more", "", f"There are {len(faults) - MOST_FAULTS} more faults.", "Mend these first.")
        told.append(asdict(more))
    return told


def problem(status: int, title: str, code: str, faults: list[dict[str, Any]] | None = None) -> HttpResponse:
    """Return a problem document."""
    body = {"type": "about:blank", "title": title, "status": status, "code": code, "faults": faults or []}
    return JsonResponse(body, status=status, content_type="application/problem+json")


def away() -> HttpResponse:
    """Return that the database cannot be reached: what was sent may be sent again."""
    answer = problem(503, "The database is away; what you typed is kept. Try again in a moment.", "database.away")
    answer.headers["Retry-After"] = "3"
    return answer


def too_long() -> HttpResponse:
    """Return that a request took longer than any may."""
    log.error("a request took too long")
    return problem(
        504, "This takes too long to be answered at once; nothing was changed. Ask for less.", "request.long"
    )


def register(api: NinjaAPI) -> None:
    """Tell the API how each exception is answered."""

    @api.exception_handler(InputRefused)
    def refused(_: HttpRequest, error: InputRefused) -> HttpResponse:
        return problem(422, "The input was refused; nothing was changed.", error.code, fault_list(error.faults))

    @api.exception_handler(OperationalError)
    @api.exception_handler(InterfaceError)
    def no_database(_: HttpRequest, error: Exception) -> HttpResponse:
        log.error("the database is away: %s", type(error).__name__)
        return away()

    @api.exception_handler(TookTooLong)
    def overdue(_: HttpRequest, error: TookTooLong) -> HttpResponse:
        return too_long()

    @api.exception_handler(MultiPartParserError)
    @api.exception_handler(UnreadablePostError)
    def no_form(_: HttpRequest, error: Exception) -> HttpResponse:
        return problem(400, "The form is broken or did not arrive whole.", "request.form")

    @api.exception_handler(IntegrityError)
    def taken(_: HttpRequest, error: IntegrityError) -> HttpResponse:
        return problem(409, "Somebody else took this name a moment ago; nothing was changed. Choose another.", "twice")

    @api.exception_handler(Overtaken)
    def overtaken(_: HttpRequest, error: Overtaken) -> HttpResponse:
        return problem(409, str(error), "overtaken")

    @api.exception_handler(DataError)
    def does_not_fit(_: HttpRequest, error: DataError) -> HttpResponse:
        log.error("a value was not refused at the door", exc_info=error)
        return problem(422, "A value is too long or too large to be kept; nothing was changed.", "request.value")

    @api.exception_handler(ValueError)
    def no_value(_: HttpRequest, error: ValueError) -> HttpResponse:
        log.error("a value was not refused at the door", exc_info=error)
        if "NUL" in str(error):
            return problem(422, "A text has a control character; nothing was changed.", "request.text")
        return problem(500, "Something failed on our side; nothing was changed.", "server")

    @api.exception_handler(NotAllowed)
    def not_allowed(_: HttpRequest, error: NotAllowed) -> HttpResponse:
        return problem(403, str(error), "role")

    @api.exception_handler(Missing)
    def missing(_: HttpRequest, error: Missing) -> HttpResponse:
        return problem(404, str(error), "missing")

    @api.exception_handler(AuthenticationError)
    def unknown(_: HttpRequest, error: AuthenticationError) -> HttpResponse:
        return problem(401, "Sign in first.", "session")

    @api.exception_handler(HttpError)
    def http(_: HttpRequest, error: HttpError) -> HttpResponse:
        return problem(error.status_code, str(error), "http")

    @api.exception_handler(ValidationError)
    def invalid(_: HttpRequest, error: ValidationError) -> HttpResponse:
        faults = [
            {
                "code": f"request.{entry['type']}",
                "path": ".".join(str(part) for part in entry["loc"]),
                "reason": f"{entry['msg']}.",
                "mend": "Compare with the published contract.",
                "line": 0,
                "column": 0,
            }
            for entry in error.errors
        ]
        return problem(422, "The request does not meet the contract.", "request", faults)

    @api.exception_handler(RequestDataTooBig)
    def too_big(_: HttpRequest, error: RequestDataTooBig) -> HttpResponse:
        most = settings.DATA_UPLOAD_MAX_MEMORY_SIZE // 2**20
        return problem(413, f"The request is larger than {most} MiB. Send it in parts.", "request.large")

    @api.exception_handler(Exception)
    def failed(_: HttpRequest, error: Exception) -> HttpResponse:
        log.error("request failed", exc_info=error)
        return problem(500, "Something failed on our side; nothing was changed.", "server")

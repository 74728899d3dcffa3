"""Every exception as RFC 9457 problem+json."""

from __future__ import annotations

import logging
from dataclasses import asdict
from typing import Any

from django.conf import settings
from django.core.exceptions import RequestDataTooBig
from django.http import HttpRequest, HttpResponse, JsonResponse
from ninja import NinjaAPI
from ninja.errors import AuthenticationError, HttpError, ValidationError

from accounts.action import Missing, NotAllowed
from rombel.errors import InputRefused

log = logging.getLogger("rombel.api")


def problem(status: int, title: str, code: str, faults: list[dict[str, Any]] | None = None) -> HttpResponse:
    """Return a problem document."""
    body = {"type": "about:blank", "title": title, "status": status, "code": code, "faults": faults or []}
    return JsonResponse(body, status=status, content_type="application/problem+json")


def register(api: NinjaAPI) -> None:
    """Tell the API how each exception is answered."""

    @api.exception_handler(InputRefused)
    def refused(_: HttpRequest, error: InputRefused) -> HttpResponse:
        return problem(
            422, "The input was refused; nothing was changed.", error.code, [asdict(fault) for fault in error.faults]
        )

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

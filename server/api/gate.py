"""What every request to the API passes, before anything of it is read: size, method, session, role; and what every answer carries."""

from __future__ import annotations

import logging
import secrets
import time
from collections.abc import Callable, Mapping
from typing import Any

from django.conf import settings
from django.core.exceptions import RequestDataTooBig
from django.db import InterfaceError, OperationalError
from django.http import HttpRequest, HttpResponse, UnreadablePostError

from accounts.models import Role, User
from api import limit
from api.bearer import refused_token, used_token
from api.limit import TookTooLong, limited
from api.once import answered_once
from api.problems import database_down, fault_list, problem, too_long
from api.strict import body_of
from api.visible import hidden_part, numbers_in
from config.logs import about, learn
from rombel.errors import InputRefused

log = logging.getLogger("rombel.access")

SMALL_BODY = 2 * 2**20
"""Most bytes of a body, but for the addresses below."""
LARGE_TEXT = 24 * 2**20
"""A file of demand or prices, as JSON text."""
LARGE_FILE = 210 * 2**20
"""A file of measurements, as a form."""
VIEWER_BODY = 64 * 2**10
"""A viewer asks and never hands in files."""

OWNER_MAY = ("/api/session", "/api/sessions", "/api/intakes", "/api/inbox")
"""A service owner asks for capacity, follows the own requests and is told of them; of studies there are only names to choose from, there too."""

READING = ("GET", "HEAD", "OPTIONS")
"""Methods that change nothing and carry no body."""

Answer = Callable[[HttpRequest], HttpResponse]


class Gate:
    """Middleware around the API; other addresses pass as they are."""

    def __init__(self, answer: Answer) -> None:
        self._answer = answer

    def __call__(self, request: HttpRequest) -> HttpResponse:
        """Return the answer, or why there is none."""
        # The page and its files are not the API's matter.
        if not request.path.startswith("/api/"):
            return self._answer(request)
        # Told to whoever asks, so that a line of the log can be found by it.
        number = secrets.token_hex(8)
        with about(request=number):
            response = self._answered(request)
        response.headers["X-Request-Id"] = number
        return response

    def _answered(self, request: HttpRequest) -> HttpResponse:
        started = time.monotonic()
        try:
            response = _refusal(request) or self._limited(request)
        except (OperationalError, InterfaceError) as error:
            response = database_down(error)
        except TookTooLong:
            response = too_long()
        if response.status_code == 405:
            response = problem(405, "This address does not do that.", "request.method")
        response.headers.setdefault("Cache-Control", "no-store")
        _tell(request, response, time.monotonic() - started)
        return response

    def process_view(
        self, request: HttpRequest, _view: Any, _args: Any, parts: Mapping[str, str]
    ) -> HttpResponse | None:
        """Answer as if there were nothing where an address is of a study that is not there for the person."""
        if not request.path.startswith("/api/"):
            return None
        learn(**numbers_in(parts))
        user = request.user
        hidden = isinstance(user, User) and hidden_part(request, user, parts)
        return problem(404, hidden, "missing") if hidden else None

    def _limited(self, request: HttpRequest) -> HttpResponse:
        """Return the answer of a request that may be answered, within its time."""
        size = 0 if request.method in READING else _size(request)
        with limited(limit.MOST_S + size / limit.BYTES_PER_S):
            return _body_refusal(request) or answered_once(request, self._answer)


def _refusal(request: HttpRequest) -> HttpResponse | None:
    """Return why a request goes no further, by what is known before its body is read."""
    # Such an address comes from no honest client, and a log line with a line break in it could be forged.
    if any(ord(character) < 32 or ord(character) == 127 for character in request.get_full_path() + request.path):
        return problem(400, "The address has control characters.", "request.text")
    if (refused := refused_token(request)) is not None:
        return refused
    if request.method in READING:
        return None if _is_open(request) else _of_session(request, 0)
    # A body of unknown length could grow without end.
    if "Transfer-Encoding" in request.headers and "Content-Length" not in request.headers:
        return problem(411, "Say how long the body is (Content-Length).", "request.length")
    size = _size(request)
    most = _most(request.path)
    if size > most:
        return problem(413, f"The request is larger than {most // 2**20} MiB. Send it in parts.", "request.large")
    kind = (request.content_type or "").lower()
    wanted = "multipart/form-data" if _is_form(request.path) else "application/json"
    if size and kind != wanted:
        return problem(415, f"This address takes {wanted}.", "request.type")
    return None if _is_open(request) else _of_session(request, size)


def _size(request: HttpRequest) -> int:
    """Return how long a body says it is; what is no length is longer than any may be."""
    # Cyrillic or Arabic digits are digits to Python, and sixteen of them are no length.
    length = request.headers.get("Content-Length") or "0"
    return int(length) if length.isascii() and length.isdigit() and len(length) < 16 else 2**62


def _body_refusal(request: HttpRequest) -> HttpResponse | None:
    """Return why a body is none: it is cut off, or no field could take what it holds."""
    if request.method in READING or _is_form(request.path):
        return None
    try:
        body_of(request)
    except UnreadablePostError:
        return problem(400, "The body did not arrive whole.", "request.cut")
    except RequestDataTooBig:
        return problem(413, "The request is too large. Send it in parts.", "request.large")
    except InputRefused as refused:
        return problem(422, "The input was refused; nothing was changed.", refused.code, fault_list(refused.faults))
    return None


def _is_open(request: HttpRequest) -> bool:
    path = request.path.rstrip("/")
    if request.method == "POST":
        return path in ("/api/session", "/api/invited/shown", "/api/invited/accepted")
    return path == "/api/openapi.json"


def _is_form(path: str) -> bool:
    return path.startswith("/api/studies/") and path.endswith("/usage")


def _most(path: str) -> int:
    """Return the most bytes of a body that an address takes."""
    if _is_form(path):
        return LARGE_FILE
    files = path == "/api/catalogue/files" or (
        path.startswith("/api/studies/") and path.endswith(("/readings", "/imports", "/listings"))
    )
    return min(LARGE_TEXT, settings.DATA_UPLOAD_MAX_MEMORY_SIZE) if files else SMALL_BODY


def _of_session(request: HttpRequest, size: int) -> HttpResponse | None:
    user = request.user
    if not isinstance(user, User):
        # Middleware has put the person there from the session; whoever is none is not signed in.
        return problem(401, "Sign in first.", "session")
    if user.role == Role.VIEWER and size > VIEWER_BODY:
        return problem(403, "A viewer may not do this.", "role")
    if user.role == Role.OWNER and not _owner_may(request):
        # An owner learns of studies nothing but the names to choose from.
        return problem(403, "A service owner sees the own requests, and not the studies.", "role")
    return None


def _owner_may(request: HttpRequest) -> bool:
    path = request.path.rstrip("/")
    return any(path == own or path.startswith(f"{own}/") for own in OWNER_MAY)


def _tell(request: HttpRequest, response: HttpResponse, seconds: float) -> None:
    """Write a line of what was asked, by whom, and how it ended."""
    extra: dict[str, Any] = {
        "method": request.method,
        "path": request.path[:200],
        "status": response.status_code,
        "ms": round(1000 * seconds),
        "person": _person(request),
    }
    level = logging.ERROR if response.status_code >= 500 else logging.INFO
    log.log(level, "%s %s", request.method, request.path[:200], extra=extra)


def _person(request: HttpRequest) -> str:
    token = used_token(request)
    cached = getattr(request, "_cached_user", None) if token is None else token.person
    return cached.get_username() if isinstance(cached, User) else ""

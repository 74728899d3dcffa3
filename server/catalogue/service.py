"""The client of a provider's services: one request at a time, with patience for what is slow or busy."""

from __future__ import annotations

import json
from typing import Any

from urllib3 import HTTPResponse, PoolManager, Retry, Timeout
from urllib3.exceptions import HTTPError

BUSY = (429, 502, 503, 504)


class ServiceFailed(Exception):
    """The service did not answer as it should, after every retry; the text says which address and how."""


class ServiceRefused(ServiceFailed):
    """The service understood, and does not take it.

    Parameters
    ----------
    status
        Of the answer, from 400 on.
    faults
        What it says is wrong.

    """

    def __init__(self, path: str, status: int, faults: tuple[str, ...]) -> None:
        self.status, self.faults = status, faults
        super().__init__(f"{path} answered {status}: {'; '.join(faults) or 'without a reason'}.")


class ProviderService:
    """Asks a service at an address on loopback or elsewhere.

    Busy answers (429, 502, 503, 504) and broken connections are asked again with growing pauses; the pause that
    the service itself asks for (``Retry-After``) is kept. Every request may come twice, so that only those that do no harm twice
    belong here.
    """

    def __init__(self, address: str, tries: int = 5, timeout_s: float = 10.0, pause_s: float = 0.2) -> None:
        self._address = address.rstrip("/")
        patience = Retry(
            total=tries,
            backoff_factor=pause_s,
            backoff_max=5,
            status_forcelist=BUSY,
            allowed_methods=None,
            respect_retry_after_header=True,
            raise_on_status=False,
        )
        self._pool = PoolManager(retries=patience, timeout=Timeout(timeout_s))

    def ask(self, method: str, path: str, body: Any = None) -> tuple[dict[str, Any], int]:
        """Return the answer and the retries that it took.

        Raises
        ------
        ServiceRefused
            When the service does not take what was sent.
        ServiceFailed
            When it does not answer, or answers what is none.

        """
        content = None if body is None else json.dumps(body).encode()
        headers = {"Content-Type": "application/json"}
        try:
            answer: Any = self._pool.request(method, f"{self._address}{path}", body=content, headers=headers)
        except HTTPError as error:
            raise ServiceFailed(f"{path} did not answer: {_plain(error)}.") from None
        if answer.status >= 500 or answer.status in BUSY:
            raise ServiceFailed(f"{path} answered {answer.status} to every try.")
        try:
            found = json.loads(answer.data)
        except (ValueError, RecursionError):
            found = None
        if answer.status >= 400:
            raise ServiceRefused(path, answer.status, _faults(found))
        if found is None:
            raise ServiceFailed(f"{path} answered something that is not JSON.")
        if not isinstance(found, dict):
            raise ServiceFailed(f"{path} answered something that is no page.")
        return found, _retries(answer)


def _faults(found: Any) -> tuple[str, ...]:
    faults = found.get("faults") or [found.get("error", "")] if isinstance(found, dict) else []
    return tuple(str(fault) for fault in faults if fault)


def _retries(answer: HTTPResponse) -> int:
    return len(answer.retries.history) if answer.retries else 0


def _plain(error: HTTPError) -> str:
    """Return a library's error in a word a planner can use."""
    text = str(getattr(error, "reason", error))
    # Names of the library's exceptions say nothing to a planner.
    for mark, word in (("refused", "the connection was refused"), ("timed out", "it took too long")):
        if mark in text.lower():
            return word
    return "the connection broke"

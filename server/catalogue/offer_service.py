"""The client of a provider's offer service: pages read one by one, with patience for a slow or busy service."""

from __future__ import annotations

import json
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any
from urllib.parse import quote, urlencode

from urllib3 import HTTPResponse, PoolManager, Retry, Timeout
from urllib3.exceptions import HTTPError

PAGE = 40
BUSY = (429, 502, 503, 504)


class ServiceFailed(Exception):
    """The service did not answer a page, after every retry; the text says which and how."""


@dataclass(frozen=True)
class Page:
    """One page: its items, how many there are in all, and how often it had to be asked again."""

    items: list[dict[str, Any]]
    total: int
    retries: int


class OfferService:
    """Reads a service at an address on loopback or elsewhere.

    Busy answers (429, 502, 503, 504) and broken connections are asked again with growing pauses; the pause that
    the service itself asks for (``Retry-After``) is kept.
    """

    def __init__(self, address: str, tries: int = 5, timeout_s: float = 10.0, pause_s: float = 0.2) -> None:
        self._address = address.rstrip("/")
        patience = Retry(
            total=tries,
            backoff_factor=pause_s,
            backoff_max=5,
            status_forcelist=BUSY,
            respect_retry_after_header=True,
            raise_on_status=False,
        )
        self._pool = PoolManager(retries=patience, timeout=Timeout(timeout_s))

    def heading(self) -> tuple[dict[str, Any], int]:
        """Return provider, currency, day, regions, disks, tiers and fees; and the retries it took."""
        return self._get("/price-list")

    def types(self) -> Iterator[Page]:
        """Yield the pages of instance types."""
        return self._pages("/types")

    def offers(self, region: str) -> Iterator[Page]:
        """Yield the pages of a region's offers."""
        return self._pages(f"/regions/{quote(region, safe='')}/offers")

    def _pages(self, path: str) -> Iterator[Page]:
        after: int | None = 0
        while after is not None:
            body, retries = self._get(f"{path}?{urlencode({'after': after, 'limit': PAGE})}")
            try:
                page = Page(list(body["items"]), int(body["total"]), retries)
                ahead = None if body["next"] is None else int(body["next"])
            except (KeyError, TypeError, ValueError):
                raise ServiceFailed(f"{path} answered something that is no page.") from None
            # A service that repeats a page would be read for ever.
            if ahead is not None and ahead <= after:
                raise ServiceFailed(f"{path} does not move on past entry {after}.")
            yield page
            after = ahead

    def _get(self, path: str) -> tuple[dict[str, Any], int]:
        try:
            answer: Any = self._pool.request("GET", f"{self._address}{path}")
        except HTTPError as error:
            raise ServiceFailed(f"{path} did not answer: {_plain(error)}.") from None
        if answer.status != 200:
            raise ServiceFailed(f"{path} answered {answer.status} to every try.")
        try:
            body = json.loads(answer.data)
        except ValueError:
            raise ServiceFailed(f"{path} answered something that is not JSON.") from None
        if not isinstance(body, dict):
            raise ServiceFailed(f"{path} answered something that is no page.")
        return body, _retries(answer)


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

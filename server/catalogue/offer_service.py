"""The client of a provider's offer service: pages read one by one, with patience for a slow or busy service."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any
from urllib.parse import quote, urlencode

from catalogue.service import ProviderService, ServiceFailed

PAGE = 40


@dataclass(frozen=True)
class Page:
    """One page: its items, how many there are in all, and how often it had to be asked again."""

    items: list[dict[str, Any]]
    total: int
    retries: int


class OfferService(ProviderService):
    """Reads a provider's price list."""

    def heading(self) -> tuple[dict[str, Any], int]:
        """Return provider, currency, day, regions, disks, tiers and fees; and the retries it took."""
        return self.ask("GET", "/price-list")

    def types(self) -> Iterator[Page]:
        """Yield the pages of instance types."""
        return self._pages("/types")

    def offers(self, region: str) -> Iterator[Page]:
        """Yield the pages of a region's offers."""
        return self._pages(f"/regions/{quote(region, safe='')}/offers")

    def _pages(self, path: str) -> Iterator[Page]:
        after: int | None = 0
        while after is not None:
            body, retries = self.ask("GET", f"{path}?{urlencode({'after': after, 'limit': PAGE})}")
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

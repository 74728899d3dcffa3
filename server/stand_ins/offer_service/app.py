"""The stand-in as a WSGI application (PEP 3333): pages of a price list, with the manners of a busy service."""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any
from urllib.parse import parse_qs, unquote

from rombel.formats import price_list_value
from rombel.model.price_list import PriceList
from stand_ins.manners import Answer, Mannered, Mood

MOST_A_PAGE = 50


class OfferServiceStandIn(Mannered):
    """Answers ``/price-list``, ``/types`` and ``/regions/NAME/offers`` from whatever list is current."""

    def __init__(self, current: Callable[[], PriceList], mood: Mood | None = None) -> None:
        super().__init__(mood)
        self._current = current

    def answer(self, environ: dict[str, Any]) -> Answer:
        """Return a page of the list."""
        return self._page(unquote(environ.get("PATH_INFO", "")), parse_qs(environ.get("QUERY_STRING", "")))

    def _page(self, path: str, query: dict[str, list[str]]) -> Answer:
        value = price_list_value(self._current())
        if path == "/price-list":
            return "200 OK", [], {key: part for key, part in value.items() if key not in ("types", "offers")}
        if path == "/types":
            return _slice(value["types"], query)
        match = re.fullmatch(r"/regions/([^/]+)/offers", path)
        if match and match[1] == self.mood.silent_region:
            return "500 Internal Server Error", [], {"error": "no answer from the region"}
        if match and any(region["name"] == match[1] for region in value["regions"]):
            return _slice([offer for offer in value["offers"] if offer["region"] == match[1]], query)
        return "404 Not Found", [], {"error": "there is nothing here"}


def _slice(items: list[Any], query: dict[str, list[str]]) -> Answer:
    try:
        after, limit = int(query.get("after", ["0"])[0]), int(query.get("limit", ["20"])[0])
    except ValueError:
        return "400 Bad Request", [], {"error": "after and limit are whole numbers"}
    limit = max(1, min(limit, MOST_A_PAGE))
    end = max(after, 0) + limit
    return (
        "200 OK",
        [],
        {"items": items[max(after, 0) : end], "total": len(items), "next": end if end < len(items) else None},
    )

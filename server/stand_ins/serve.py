"""What a web server loads: the made-up provider, with its list of the present month and the clusters that it builds."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from datetime import UTC, datetime
from typing import Any

from config.environment import environment
from demo.supply import demo_price_list
from rombel.model.price_list import PriceList
from stand_ins.build_service import Account, BuildServiceStandIn, Kept
from stand_ins.manners import Mannered, Mood
from stand_ins.offer_service import OfferServiceStandIn


def this_month() -> PriceList:
    """Return the list dated the first of this month."""
    return demo_price_list("Skerry Compute", datetime.now(UTC).date().replace(day=1))


OFFERS = OfferServiceStandIn(this_month)
BUILDS = BuildServiceStandIn(Account(this_month, Kept(environment().builds_file)), Mood(most_per_second=80))


def application(environ: dict[str, Any], start_response: Callable[..., Any]) -> Iterable[bytes]:
    """Let one of the provider's services answer."""
    part = environ.get("PATH_INFO", "").split("/")[1:2]
    service: Mannered = BUILDS if part in (["builds"], ["clusters"]) else OFFERS
    return service(environ, start_response)

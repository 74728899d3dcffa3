"""What a web server loads: the made-up provider's list of the present month."""

from __future__ import annotations

from datetime import UTC, datetime

from demo.supply import demo_price_list
from rombel.model.price_list import PriceList
from stand_ins.offer_service.app import OfferServiceStandIn


def this_month() -> PriceList:
    """Return the list dated the first of this month."""
    return demo_price_list("Skerry Compute", datetime.now(UTC).date().replace(day=1))


application = OfferServiceStandIn(this_month)

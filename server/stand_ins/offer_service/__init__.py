"""A made-up provider's offer service, answering over HTTP on loopback: paged, busy, slow and failing as real ones are."""

from stand_ins.manners import Mood
from stand_ins.offer_service.app import OfferServiceStandIn

__all__ = ["Mood", "OfferServiceStandIn"]

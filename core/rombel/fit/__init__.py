"""The fit: least cost node pools with a proven floor, and the independent checker."""

from rombel.fit.checker import CheckReport, check
from rombel.fit.dominance import undominated
from rombel.fit.solve import FitObserver, FitParams, Progress, QuickFloor, SilentObserver, fit, quick_floor
from rombel.fit.worths import OfferWorth, Worths, offer_worths

__all__ = [
    "CheckReport",
    "FitObserver",
    "FitParams",
    "OfferWorth",
    "Progress",
    "QuickFloor",
    "SilentObserver",
    "Worths",
    "check",
    "fit",
    "offer_worths",
    "quick_floor",
    "undominated",
]

"""The fit: least cost node pools with a proven floor, and the independent checker."""

from rombel.fit._certified import proved_floor
from rombel.fit.changes import ChangeParams, Changing, stand_on
from rombel.fit.checker import CheckReport, check
from rombel.fit.dominance import undominated
from rombel.fit.evenness import Evenness, even_weight, evenness
from rombel.fit.exact import ExactParams
from rombel.fit.observing import FitObserver, Progress, SilentObserver
from rombel.fit.refit import RefitParams, fit_knowing, refit
from rombel.fit.run import FitParams
from rombel.fit.search import SearchParams
from rombel.fit.solve import QuickFloor, fit, grown, quick_floor
from rombel.fit.worths import OfferWorth, Worths, offer_worths

__all__ = [
    "ChangeParams",
    "Changing",
    "CheckReport",
    "Evenness",
    "ExactParams",
    "FitObserver",
    "FitParams",
    "OfferWorth",
    "Progress",
    "QuickFloor",
    "RefitParams",
    "SearchParams",
    "SilentObserver",
    "Worths",
    "check",
    "even_weight",
    "evenness",
    "fit",
    "fit_knowing",
    "grown",
    "offer_worths",
    "proved_floor",
    "quick_floor",
    "refit",
    "stand_on",
    "undominated",
]

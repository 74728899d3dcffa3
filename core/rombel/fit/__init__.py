"""The fit: least cost node pools with a proven floor, and the independent checker."""

from rombel.fit.bounds.exact import ExactParams
from rombel.fit.bounds.whole_nodes import WholeParams
from rombel.fit.check._certificate import proved_floor
from rombel.fit.check.checker import CheckReport, check
from rombel.fit.observing import FitObserver, Progress, SilentObserver
from rombel.fit.problem.dominance import undominated
from rombel.fit.refit import RefitParams, fit_knowing, refit
from rombel.fit.report.evenness import Evenness, even_weight, evenness
from rombel.fit.report.offer_values import OfferValue, OfferValues, offer_values
from rombel.fit.report.summary import FitSummary, summarise
from rombel.fit.run import FitParams
from rombel.fit.search.changes import ChangeParams, Changing, stand_on
from rombel.fit.search.ruin_and_recreate import SearchParams
from rombel.fit.solve import QuickFloor, fit, grown, quick_floor

__all__ = [
    "ChangeParams",
    "Changing",
    "CheckReport",
    "Evenness",
    "ExactParams",
    "FitObserver",
    "FitParams",
    "FitSummary",
    "OfferValue",
    "OfferValues",
    "Progress",
    "QuickFloor",
    "RefitParams",
    "SearchParams",
    "SilentObserver",
    "WholeParams",
    "check",
    "even_weight",
    "evenness",
    "fit",
    "fit_knowing",
    "grown",
    "offer_values",
    "proved_floor",
    "quick_floor",
    "refit",
    "stand_on",
    "summarise",
    "undominated",
]

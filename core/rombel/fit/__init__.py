"""The fit: least cost node pools with a proven floor, and the independent checker."""

from rombel.fit.checker import CheckReport, check
from rombel.fit.dominance import undominated
from rombel.fit.solve import FitObserver, FitParams, Progress, QuickFloor, SilentObserver, fit, quick_floor

__all__ = [
    "CheckReport",
    "FitObserver",
    "FitParams",
    "Progress",
    "QuickFloor",
    "SilentObserver",
    "check",
    "fit",
    "quick_floor",
    "undominated",
]

"""The fit: least cost node pools with a proven floor, and the independent checker."""

from rombel.fit.checker import CheckReport, check
from rombel.fit.solve import FitObserver, FitParams, Progress, SilentObserver, fit

__all__ = ["CheckReport", "FitObserver", "FitParams", "Progress", "SilentObserver", "check", "fit"]

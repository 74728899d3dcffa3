"""Rombel's core: sizes node pools over availability zones at least cost, and proves how good the answer is.

Pure values in, pure values out: no web, no database, no clock but the stop-watch of a time limit. What stands in ``__all__`` is all that
a notebook needs: read, find the cheapest fit, check it, tell its downtime. A part is loaded when it is first asked for.
"""

from importlib import import_module
from importlib.metadata import PackageNotFoundError, version
from typing import Any

try:
    __version__ = version("rombel")
except PackageNotFoundError:  # run from the source tree without being installed
    __version__ = "0.1.0"

_PARTS = {
    "Demand": "rombel.model.demand",
    "FailureData": "rombel.model.failure",
    "FitParams": "rombel.fit",
    "Journey": "rombel.model.journey",
    "Supply": "rombel.model.study",
    "Targets": "rombel.model.study",
    "World": "rombel.inquiry",
    "budget_minutes": "rombel.model.failure",
    "cheapest_fit": "rombel.plan",
    "check": "rombel.fit",
    "compile_problem": "rombel.plan",
    "proved_floor": "rombel.fit",
    "read_chain": "rombel.model.journey",
    "read_demand_csv": "rombel.formats",
    "read_problem": "rombel.formats",
    "read_solution": "rombel.formats",
    "write_problem": "rombel.formats",
    "write_solution": "rombel.formats",
}
"""Where each part of the door stands."""

__all__ = ["__version__", *_PARTS]


def __getattr__(name: str) -> Any:
    """Return a part of the core under its short name.

    Raises
    ------
    AttributeError
        When it has none of that name.

    """
    if name not in _PARTS:
        raise AttributeError(f"module 'rombel' has no attribute {name!r}")
    return getattr(import_module(_PARTS[name]), name)

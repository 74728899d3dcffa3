"""Percentiles by a named definition, because two definitions of "the 95th" give two requests.

Source: Hyndman & Fan 1996, "Sample quantiles in statistical packages", The American Statistician 50:361-365.
"""

from __future__ import annotations

import math
from enum import StrEnum
from fractions import Fraction
from typing import Literal, cast

import numpy as np

from rombel.usage.series import Values

_Method = Literal["linear", "weibull"]


class Definition(StrEnum):
    """Which definition: the smallest sample that at least so many do not exceed, or one between two samples."""

    NEAREST_RANK = "nearest rank"
    LINEAR = "linear"
    WEIBULL = "weibull"


_METHODS = {
    Definition.LINEAR: "linear",
    Definition.WEIBULL: "weibull",
}


def percentile(values: Values, percent: float, definition: Definition = Definition.NEAREST_RANK) -> float:
    """Return a percentile of the values that were measured; NaN where none was.

    Parameters
    ----------
    values
        Samples; NaN is a gap and left out.
    percent
        From 0 to 100.
    definition
        ``nearest rank``: type 1 of the source, always a sample. ``linear``: type 7. ``weibull``: type 6.

    """
    present = values[~np.isnan(values)]
    if not len(present):
        return float("nan")
    if definition is Definition.NEAREST_RANK:
        # The rank is a whole number where p * n / 100 is one: floats may miss it by a hair, and then take the next sample.
        rank = max(1, math.ceil(Fraction(str(percent)) * len(present) / 100))
        return float(np.partition(present, rank - 1)[rank - 1])
    return float(np.quantile(present, percent / 100, method=cast("_Method", _METHODS[definition])))

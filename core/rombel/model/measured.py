"""Samples as they were measured, under the metric and labels they came with."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt


@dataclass(frozen=True, slots=True, eq=False)
class Measured:
    """Samples of one thing: its metric and labels, whether it counts up, and (N,) seconds since 1970 and values."""

    metric: str
    labels: Mapping[str, str]
    counter: bool
    times_s: npt.NDArray[np.float64]
    values: npt.NDArray[np.float64]

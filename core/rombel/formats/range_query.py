"""Measurements as the JSON answer of a metrics range query: a matrix of series with pairs of time and value.

Sample values are texts and may be ``NaN``, ``+Inf`` or ``-Inf``; times are seconds, with decimals. Source: the published
HTTP interface of metrics servers, "range queries" (from memory).
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import numpy as np

from rombel.errors import Fault, InputRefused
from rombel.formats._json import load_strict
from rombel.formats.reading import Watch, unwatched
from rombel.formats.usage_text import LATEST_S, MOST_FAULTS, UsageReading, milliseconds_fault
from rombel.model.measured import Measured


def read_range_query(text: str, watch: Watch = unwatched) -> UsageReading:
    """Return the series of the answer; the metric's name stands under ``__name__`` among its labels."""
    try:
        value = load_strict(text)
    except InputRefused as refused:
        return UsageReading((), refused.faults)
    watch(0.5)
    faults: list[Fault] = []
    series = [entry for entry in _series(value, faults, watch) if len(entry.values)] if isinstance(value, dict) else []
    if not series and not faults:
        reason = "There is no series in the answer."
        faults.append(Fault("usage.empty", "data.result", reason, "Ask the query over a time that has samples."))
    return UsageReading(() if faults else tuple(series), tuple(faults[:MOST_FAULTS]))


def _series(value: dict[str, Any], faults: list[Fault], watch: Watch) -> Iterator[Measured]:
    if value.get("status") != "success":
        reason = f"The answer's status is {str(value.get('status'))[:40]!r}: {str(value.get('error', ''))[:200]}"
        faults.append(Fault("usage.status", "status", reason, "Ask the query again."))
        return
    data = value.get("data")
    kind = data.get("resultType") if isinstance(data, dict) else None
    if kind != "matrix" or not isinstance(data, dict) or not isinstance(data.get("result"), list):
        reason = f"The result is {str(kind)[:40]!r}, not a matrix."
        fix = "Ask a range query: with a start, an end and a step."
        faults.append(Fault("usage.matrix", "data.resultType", reason, fix))
        return
    for index, entry in enumerate(data["result"]):
        path = f"data.result[{index}]"
        watch(0.5 + 0.5 * index / len(data["result"]))
        try:
            labels = {str(key): str(text) for key, text in entry["metric"].items()}
            pairs = entry["values"]
            times = np.array([pair[0] for pair in pairs], np.float64)
            values = np.array([pair[1] for pair in pairs], np.float64)
        except (KeyError, TypeError, ValueError, IndexError, AttributeError) as error:
            reason = f"The series is not as a range query gives it: {type(error).__name__}."
            fix = 'A series has "metric" with labels and "values" with pairs of time and text.'
            faults.append(Fault("usage.series", path, reason, fix))
            if len(faults) >= MOST_FAULTS:
                return
            continue
        if len(times) and np.abs(times).max() >= LATEST_S:
            faults.append(milliseconds_fault())
            return
        name = labels.pop("__name__", "")
        yield Measured(name, labels, name.endswith("_total"), times, values)

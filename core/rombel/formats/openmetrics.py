"""Measurements as OpenMetrics text with a time on every sample, read by the reference parser.

Times are seconds; the text ends with ``# EOF``; a counter's samples end in ``_total``.
"""

from __future__ import annotations

import numpy as np
from prometheus_client.openmetrics.parser import text_string_to_metric_families

from rombel.errors import Fault
from rombel.formats.reading import Ignored
from rombel.formats.usage_text import LATEST_S, UsageReading, milliseconds_fault
from rombel.model.measured import Measured

_TAKEN = ("counter", "gauge", "unknown")


def read_openmetrics(text: str) -> UsageReading:
    """Return the series of the text; histograms and summaries, and samples without a time, are listed as ignored."""
    found: dict[tuple[str, tuple[tuple[str, str], ...]], tuple[bool, list[float], list[float]]] = {}
    ignored: dict[tuple[str, str], int] = {}
    try:
        for family in text_string_to_metric_families(text):  # type: ignore[no-untyped-call]
            for sample in family.samples:
                why = _left_out(family.type, sample.name, sample.timestamp)
                if why:
                    ignored[sample.name, why] = ignored.get((sample.name, why), 0) + 1
                    continue
                key = sample.name, tuple(sorted(sample.labels.items()))
                _, times, values = found.setdefault(key, (family.type == "counter", [], []))
                times.append(float(sample.timestamp))
                values.append(float(sample.value))
    except (ValueError, KeyError, IndexError, AssertionError) as error:
        return UsageReading((), (_fault(text, str(error) or type(error).__name__),))
    if any(times and max(map(abs, times)) >= LATEST_S for _, times, _ in found.values()):
        return UsageReading((), (milliseconds_fault(),))
    series = tuple(
        Measured(name, dict(labels), counter, np.array(times, np.float64), np.array(values, np.float64))
        for (name, labels), (counter, times, values) in found.items()
    )
    notes = tuple(Ignored(0, name, why, count) for (name, why), count in ignored.items())
    if not series:
        fault = Fault("usage.empty", "", "There is no sample with a time.", "Export samples with their times.", 1, 1)
        return UsageReading((), (fault,), notes)
    return UsageReading(series, (), notes)


def _left_out(kind: str, name: str, timestamp: object) -> str:
    if kind not in _TAKEN:
        return f"a {kind} is no use of a resource"
    if name.endswith("_created"):
        return "it tells when a counter began"
    return "" if timestamp is not None else "the sample has no time"


def _fault(text: str, message: str) -> Fault:
    """Return the parser's refusal with the line that it quotes, where it quotes one."""
    if "EOF" in message:
        last = text.count("\n") + 1
        mend = "End the text with # EOF: without it nobody knows whether some is missing."
        return Fault("usage.eof", "", message + ".", mend, last, 1)
    quoted = next((n for n, line in enumerate(text.splitlines(), 1) if line and line in message), 1)
    return Fault("usage.text", "", f"This is not OpenMetrics text: {message[:300]}.", "Correct it there.", quoted, 1)

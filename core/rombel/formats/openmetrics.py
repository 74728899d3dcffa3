"""Measurements as OpenMetrics text with a time on every sample, read by the reference parser.

Times are seconds; the text ends with ``# EOF``; a counter's samples end in ``_total``.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field

import numpy as np
from prometheus_client.openmetrics.parser import text_string_to_metric_families

from rombel.errors import Fault
from rombel.formats.reading import Ignored, Watch, unwatched
from rombel.formats.usage_text import EVERY_LINES, LATEST_S, UsageReading, milliseconds_fault
from rombel.model.measured import Measured

_TAKEN = ("counter", "gauge", "unknown")


@dataclass(slots=True)
class _Line:
    """Samples of one series as they come in."""

    counter: bool
    times: list[float] = field(default_factory=list)
    values: list[float] = field(default_factory=list)


def read_openmetrics(text: str, watch: Watch = unwatched) -> UsageReading:
    """Return the series of the text; histograms and summaries, and samples without a time, are listed as ignored.

    Of lines that differ in value and time alone the parser sees the first, and the numbers of the others are read here:
    four weeks of samples would keep it busy for minutes.
    """
    found: dict[tuple[str, tuple[tuple[str, str], ...]], _Line] = {}
    ignored: dict[tuple[str, str], int] = {}
    short, heads, more = _first_samples(text, watch)
    seen = iter(heads)
    try:
        for family in text_string_to_metric_families(short):  # type: ignore[no-untyped-call]
            for sample in family.samples:
                head = next(seen)
                why = _left_out(family.type, sample.name, sample.timestamp)
                if why:
                    ignored[sample.name, why] = ignored.get((sample.name, why), 0) + 1 + len(more.get(head, ()))
                    continue
                key = sample.name, tuple(sorted(sample.labels.items()))
                line = found.setdefault(key, _Line(family.type == "counter"))
                line.times.append(float(sample.timestamp))
                line.values.append(float(sample.value))
                _extend(line, head, more.get(head, ()))
    except (ValueError, KeyError, IndexError, AssertionError) as error:
        return UsageReading((), (_fault(text, str(error) or type(error).__name__),))
    if any(line.times and max(map(abs, line.times)) >= LATEST_S for line in found.values()):
        return UsageReading((), (milliseconds_fault(),))
    series = tuple(
        Measured(name, dict(labels), line.counter, np.array(line.times), np.array(line.values))
        for (name, labels), line in found.items()
    )
    notes = tuple(Ignored(0, name, why, count) for (name, why), count in ignored.items())
    if not series:
        fault = Fault("usage.empty", "", "There is no sample with a time.", "Export samples with their times.", 1, 1)
        return UsageReading((), (fault,), notes)
    return UsageReading(series, (), notes)


def _first_samples(text: str, watch: Watch) -> tuple[str, list[str], dict[str, list[list[str]]]]:
    """Return the text with one sample a series, what names each of its samples, and value and time of the others."""
    lines: list[str] = []
    heads: list[str] = []
    more: dict[str, list[list[str]]] = {}
    whole = text.split("\n")
    for number, line in enumerate(whole):
        if number % EVERY_LINES == 0:
            watch(0.8 * number / len(whole))
        if line.startswith("#") or not line:
            lines.append(line)
            continue
        head, _, tail = line.rpartition("}") if "}" in line else line.partition(" ")
        numbers = tail.split(" ")[-2:]
        if head in more and " # " not in line and len(numbers) == 2:
            more[head].append(numbers)
            continue
        lines.append(line)
        heads.append(head)
        more.setdefault(head, [])
    return "\n".join(lines), heads, more


def _extend(line: _Line, head: str, numbers: Iterable[list[str]]) -> None:
    """Add samples to a series."""
    for value, time in numbers:
        try:
            line.values.append(float(value))
            line.times.append(float(time))
        except ValueError:
            raise ValueError(f"Invalid line: {head}}} {value} {time}") from None


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
        fix = "End the text with # EOF: without it nobody knows whether some is missing."
        return Fault("usage.eof", "", message + ".", fix, last, 1)
    quoted = next((n for n, line in enumerate(text.splitlines(), 1) if line and line in message), 1)
    return Fault("usage.text", "", f"This is not OpenMetrics text: {message[:300]}.", "Correct it there.", quoted, 1)

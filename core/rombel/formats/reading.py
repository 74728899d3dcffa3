"""What a reader of demand gives back: rows, faults with their places, and what was ignored and why."""

from __future__ import annotations

from dataclasses import dataclass

from rombel.errors import Fault
from rombel.model.study import Demand

MOST_BYTES = 5 * 2**20
"""Largest text a reader takes."""


@dataclass(frozen=True, slots=True)
class Ignored:
    """Something read and left out on purpose: where it stood, what it was, why it does not matter here."""

    line: int
    what: str
    why: str


@dataclass(frozen=True, slots=True)
class DemandReading:
    """The outcome of reading demand; with any fault nothing is to be stored."""

    rows: tuple[Demand, ...]
    faults: tuple[Fault, ...]
    ignored: tuple[Ignored, ...]


def size_fault(size_bytes: int) -> Fault | None:
    """Return the fault of a text that is too large, or None."""
    if size_bytes <= MOST_BYTES:
        return None
    return Fault(
        "file.large",
        "",
        f"The text has {size_bytes:,} bytes; at most {MOST_BYTES:,} are read.",
        "Split it, or leave out what is no workload.",
    )

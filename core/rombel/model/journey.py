"""Journeys: what users do, as a structure of workloads and outside dependencies, with a target."""

from __future__ import annotations

import re
from collections.abc import Collection, Iterator, Sequence
from dataclasses import dataclass, replace
from decimal import Decimal
from enum import StrEnum

from rombel.errors import InputRefused, refuse
from rombel.model.failure import Failure


class Reach(StrEnum):
    """How far a dependency goes down with the platform's own places.

    ``ZONAL``: it stands in one zone and goes with it. ``SPREAD``: one instance in every zone, any of them serves.
    ``REGIONAL``: it goes with the region alone. ``OUTSIDE``: it stands elsewhere, whatever happens here.
    """

    ZONAL = "zonal"
    SPREAD = "spread"
    REGIONAL = "regional"
    OUTSIDE = "outside"


@dataclass(frozen=True, slots=True)
class Dependency:
    """Something a journey needs that is no workload of the study; ``zone`` says where a zonal one stands."""

    name: str
    reach: Reach
    failure: Failure
    zone: str = ""

    def zone_in(self, zones: Sequence[str]) -> str:
        """Return the zone in which a zonal one stands: its own, or a region's first where that has no such zone."""
        return self.zone if self.zone in zones else zones[0]


@dataclass(frozen=True, slots=True)
class Block:
    """One workload (``namespace/name``) or dependency of a journey."""

    name: str


@dataclass(frozen=True, slots=True)
class Among:
    """Parts of which so many must work; all of them: a series, one of them: any will do."""

    needed: int
    parts: tuple[Part, ...]

    @property
    def is_series(self) -> bool:
        """Return whether all of its parts are needed."""
        return self.needed == len(self.parts)


Part = Block | Among
"""A chain or a part of one."""


@dataclass(frozen=True, slots=True)
class Journey:
    """What users do: its chain, and the availability that it is promised, in percent."""

    name: str
    target: Decimal
    chain: Part

    @property
    def allowed(self) -> float:
        """Return the share of time that it may be down."""
        return float((100 - self.target) / 100)

    def allowing(self, share: float) -> Journey:
        """Return the journey with a target that allows another share of time."""
        return replace(self, target=100 - Decimal(share) * 100)


def blocks_of(part: Part) -> Iterator[str]:
    """Yield the names of its blocks from left to right."""
    if isinstance(part, Block):
        yield part.name
    else:
        for inner in part.parts:
            yield from blocks_of(inner)


_TOKEN = re.compile(r"\s*(?:(any|[0-9]+)\s+of\s*(\()|([(),])|([^\s(),][^(),]*))", re.IGNORECASE)


def read_chain(text: str, path: str = "chain") -> Part:
    """Return the structure that a text states.

    Names stand behind each other with commas and are all needed; ``any of (a, b)`` needs one of them,
    ``2 of (a, b, c)`` two.

    Raises
    ------
    InputRefused
        Where the text is none, with the place.

    """
    reader = _Reader(text, path)
    part = reader.series()
    if reader.token is not None:
        raise reader.fault(f"'{reader.token}' is not expected here.", "Write names with commas between them.")
    # A name twice in a chain would be counted as two things that fail apart.
    names = list(blocks_of(part))
    twice = next((name for index, name in enumerate(names) if name in names[:index]), None)
    if twice is not None:
        raise refuse("journey.twice", path, f"'{twice}' stands twice in the chain.", "Name every link once.")
    return part


class _Reader:
    """Reads a chain from left to right; ``token`` is what comes next, None at the end."""

    def __init__(self, text: str, path: str) -> None:
        self.text, self.path, self.index = text, path, 0
        self.token: str | None = None
        self.needed = 0
        self.next()

    def next(self) -> None:
        # The grammar is small: names, commas, and "n of ( ... )" around a part.
        found = _TOKEN.match(self.text, self.index)
        if found is None:
            self.token = None
            return
        self.index = found.end()
        count, opened, sign, name = found.groups()
        self.needed = 0
        if opened:
            self.token, self.needed = "of", 1 if count.lower() == "any" else int(count)
        else:
            self.token = sign or name.strip()

    def fault(self, reason: str, fix: str) -> InputRefused:
        return refuse("journey.chain", self.path, f"Near character {self.index}: {reason}", fix)

    def series(self) -> Part:
        # A comma binds parts in series.
        parts = [self.part()]
        while self.token == ",":
            self.next()
            parts.append(self.part())
        return parts[0] if len(parts) == 1 else Among(len(parts), tuple(parts))

    def part(self) -> Part:
        if self.token is None or self.token in ("(", ")", ","):
            raise self.fault("a name is missing.", "Name a workload or a dependency.")
        if self.token != "of":
            name = self.token
            self.next()
            return Block(name)
        needed = self.needed
        self.next()
        parts = [self.part()]
        while self.token == ",":
            self.next()
            parts.append(self.part())
        if self.token != ")":
            raise self.fault("a bracket is not closed.", "Close it with ')'.")
        # Needing none, or more than there are, is a slip and not a structure.
        if not 1 <= needed <= len(parts):
            raise self.fault(f"{needed} of {len(parts)} cannot be.", "Need from one to all of them.")
        self.next()
        return Among(needed, tuple(parts))


def show_chain(part: Part) -> str:
    """Return the text that ``read_chain`` reads."""
    if isinstance(part, Among) and part.is_series and len(part.parts) > 1:
        return ", ".join(_shown(inner) for inner in part.parts)
    return _shown(part)


def _shown(part: Part) -> str:
    if isinstance(part, Block):
        return part.name
    count = "any" if part.needed == 1 and len(part.parts) > 1 else str(part.needed)
    return f"{count} of ({', '.join(_shown(inner) for inner in part.parts)})"


def is_down(part: Part, down: Collection[str]) -> bool:
    """Return whether a structure is down while these of its blocks are."""
    if isinstance(part, Block):
        return part.name in down
    return sum(not is_down(inner, down) for inner in part.parts) < part.needed

"""What a rule is, and what it finds."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from enum import StrEnum

from rombel.model.words import some as first_of
from rombel.preflight.situation import Situation


class Grade(StrEnum):
    """How grave a finding is: it would fail, it is risky, or it is good to know."""

    STOP = "stop"
    CARE = "care"
    NOTE = "note"


class When(StrEnum):
    """When it would have struck."""

    START = "at minute 0"
    JOINING = "while nodes join"
    RUNNING = "while it runs"
    UPGRADE = "on the first upgrade"
    LOSS = "on the day a zone is lost"


@dataclass(frozen=True, slots=True)
class Mend:
    """An edit that mends a finding, where one edit does: in words, cells of the demand sheet by workload, or members of the control plane."""

    words: str
    cells: Mapping[str, Mapping[str, str]] = field(default_factory=dict)
    control_plane_members: int | None = None


@dataclass(frozen=True, slots=True)
class Finding:
    """One thing found.

    Parameters
    ----------
    code
        Of the rule.
    grade, when
        How grave it is, and when it would have struck.
    place
        Where to look: a place of the study, such as ``targets``.
    text
        What and why, in a planner's words; no full stop at its end.
    fix
        What would fix it.
    mend
        The edit that does, where one does; None: somebody has to decide or to act elsewhere.

    """

    code: str
    grade: Grade
    when: When
    place: str
    text: str
    fix: str
    mend: Mend | None = None


Found = Iterator[tuple[Grade, str, str] | tuple[Grade, str, str, Mend]]
"""Grade, text and fix of each finding of a rule, and the edit that mends it where one does."""


@dataclass(frozen=True, slots=True)
class Rule:
    """A rule: its code, when what it finds would strike, the place to look at, and what finds it."""

    code: str
    when: When
    place: str
    find: Callable[[Situation], Found]

    def findings(self, at: Situation) -> Iterator[Finding]:
        """Yield what it finds."""
        for grade, *rest in self.find(at):
            yield Finding(self.code, grade, self.when, self.place, *rest)


RULES: dict[str, Rule] = {}
"""Every rule by its code; a module of ``rombel.preflight.rules`` adds its own."""


def rule(code: str, when: When, place: str) -> Callable[[Callable[[Situation], Found]], Callable[[Situation], Found]]:
    """Make a function a rule."""

    def kept(find: Callable[[Situation], Found]) -> Callable[[Situation], Found]:
        if code in RULES:
            raise ValueError(f"two rules are called {code}")
        RULES[code] = Rule(code, when, place, find)
        return find

    return kept


def some(names: Iterable[str]) -> str:
    """Return the first three names in the order of the alphabet, and how many more there are."""
    return first_of(sorted(names))

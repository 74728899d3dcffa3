"""What a rule is, and what it finds."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass
from enum import StrEnum

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
        What would mend it.

    """

    code: str
    grade: Grade
    when: When
    place: str
    text: str
    fix: str


Found = Iterator[tuple[Grade, str, str]]
"""Grade, text and fix of each finding of a rule."""


@dataclass(frozen=True, slots=True)
class Rule:
    """A rule: its code, when what it finds would strike, the place to look at, and what finds it."""

    code: str
    when: When
    place: str
    find: Callable[[Situation], Found]

    def findings(self, at: Situation) -> Iterator[Finding]:
        """Yield what it finds."""
        for grade, text, fix in self.find(at):
            yield Finding(self.code, grade, self.when, self.place, text, fix)


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
    """Return the first three names in order, and how many more there are."""
    known = sorted(names)
    more = f" and {len(known) - 3} more" if len(known) > 3 else ""
    return ", ".join(known[:3]) + more

"""Why there is no fit: an irreducible conflict of rules, and the rules whose loss alone would make one."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from jobs.control import Control
from rombel.inquiry import conflict
from runs.models import Question
from runs.questions.asking import Asked, Occasion, QuestionKind, question


@dataclass(frozen=True, slots=True)
class NoInputs:
    """A question that is answered from its fit alone."""


@dataclass(frozen=True, slots=True)
class RulesInConflict:
    """Rules that together leave no fit, and those whose loss alone would make one."""

    rules: tuple[str, ...]
    to_drop: tuple[str, ...]
    proved: bool


@question
class Conflict(QuestionKind[NoInputs, RulesInConflict]):
    """It is asked after every fit that found no answer by itself."""

    question = Question.CONFLICT
    given_type, answer_type = NoInputs, RulesInConflict
    priority = 1

    def gather(self, occasion: Occasion) -> NoInputs:
        """Return nothing."""
        return NoInputs()

    def answer(
        self, asked: Asked[NoInputs, RulesInConflict], control: Control, keep: Callable[[RulesInConflict], None]
    ) -> RulesInConflict:
        """Return the conflict."""
        found = conflict(asked.fit[0], observer=control)
        rules, to_drop = (tuple(rule.words for rule in part) for part in (found.rules, found.to_drop))
        return RulesInConflict(rules, to_drop, found.proved)

"""What a period costs where nodes follow demand: the design of levels with the hours at each."""

from __future__ import annotations

from collections.abc import Iterator
from decimal import Decimal
from fractions import Fraction

from rombel.ledger import MONTH
from runs.bills import as_decimal, charges_beside
from runs.inputs import inputs_of
from runs.models import Fit, Question
from runs.queries import latest_inquiry
from runs.questions.asking import QUESTIONS
from runs.questions.levels import DesignOfLevels
from runs.stored import stored_solution
from studies.models import Variant


def design_of(variant: Variant) -> DesignOfLevels | None:
    """Return the design of levels of a variant as it stands now; None: it is not computed, or of what was stated before."""
    row = latest_inquiry(variant, Question.LEVELS)
    if row is None or row.inputs != inputs_of(variant):
        return None
    design = QUESTIONS[Question.LEVELS].answer_of(row)
    return design if isinstance(design, DesignOfLevels) else None


def bill_by_level(fit: Fit, hours: Fraction) -> Iterator[tuple[str, Fraction, Decimal]]:
    """Yield each level of demand with its hours of a period and what they cost, where nodes follow demand and the design of levels is known.

    Fees that no fit decides, and volumes as they stand in the plan, are paid in all hours alike.
    """
    if design := design_of(fit.variant):
        nodes = stored_solution(fit).nodes
        fees = sum((charge.amount for charge in charges_beside(fit.variant, nodes, hours)), Fraction(0)) / hours
        for level in design.levels:
            share = Fraction(level.share).limit_denominator(10_000)
            if share:
                yield level.level, share * hours, as_decimal(share * hours * (Fraction(level.cost) / MONTH + fees))

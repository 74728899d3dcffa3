"""What the kinds of question have in common: what they are asked of, how inputs and answers are kept, and how one is answered."""

from __future__ import annotations

from abc import abstractmethod
from collections.abc import Callable
from dataclasses import dataclass, field
from decimal import Decimal
from typing import Any, ClassVar, Generic, TypeVar, cast

from pydantic import TypeAdapter

from jobs.control import Control
from jobs.kinds import Kind, kind_of, register, row_of
from jobs.models import Job
from rombel.formats import read_problem, read_solution
from rombel.model.fit_problem import FitProblem
from rombel.model.fit_solution import FitSolution
from rombel.model.quantity import HOURS_PER_MONTH
from runs.models import Fit, Inquiry, Question
from studies.models import Variant

Given = TypeVar("Given")
Answer = TypeVar("Answer")


@dataclass(frozen=True)
class CostOfChange:
    """What a step must save a month for each replica that it moves, and for each node that it brings."""

    per_move: Decimal = Decimal(2)
    per_node: Decimal = Decimal(20)


@dataclass(frozen=True)
class Occasion:
    """When a question is asked: of which variant, over which fit (None: it needs none), with which wishes."""

    variant: Variant
    fit: Fit | None
    cost_of_change: CostOfChange = field(default_factory=CostOfChange)

    @property
    def the_fit(self) -> Fit:
        """Return the fit of a question that needs one."""
        assert self.fit is not None
        return self.fit


@dataclass(frozen=True)
class Asked(Generic[Given, Answer]):
    """A question as a worker finds it: its row, what it is answered from, and what was known when a worker left it."""

    row: Inquiry
    given: Given
    so_far: Answer | None

    @property
    def fit(self) -> tuple[FitProblem, FitSolution]:
        """Return the fit that it is about."""
        assert self.row.fit is not None
        return read_problem(self.row.fit.problem), read_solution(self.row.fit.solution)


class QuestionKind(Kind[Asked[Given, Answer], Answer]):
    """A question that takes a while; its inputs are taken when it is asked, as later edits must not change it.

    Attributes
    ----------
    question
        Under which name it is asked.
    given_type, answer_type
        Frozen values that it is answered from, and that the answer is.
    needs_fit, needs_journeys
        Whether it is about a fit of the variant as it stands, and about journeys.

    """

    question: ClassVar[Question]
    given_type: ClassVar[type]
    answer_type: ClassVar[type]
    needs_fit: ClassVar[bool] = True
    needs_journeys: ClassVar[bool] = False
    queue = "ask"
    priority = 3
    again = True
    defect = "The question could not be answered ({error})."

    def __init__(self) -> None:
        self._given: TypeAdapter[Given] = TypeAdapter(self.given_type)
        self._answer: TypeAdapter[Answer] = TypeAdapter(self.answer_type)

    @abstractmethod
    def gather(self, occasion: Occasion) -> Given:
        """Return what it is answered from, beside the fit.

        Raises
        ------
        InputRefused
            When the study lacks what the question is about.

        """

    @abstractmethod
    def answer(self, asked: Asked[Given, Answer], control: Control, keep: Callable[[Answer], None]) -> Answer:
        """Return the answer; ``keep`` is given as much as is known, as soon as it is known."""

    def plain_given(self, given: Given) -> dict[str, Any]:
        """Return what it is answered from as plain values, to be stored."""
        plain: dict[str, Any] = self._given.dump_python(given, mode="json")
        return plain

    def answer_of(self, row: Inquiry) -> Answer | None:
        """Return what a row knows of the answer; None: nothing yet."""
        return self._answer.validate_python(row.answer) if row.answer else None

    def shown(self, answer: Answer) -> Answer:
        """Return as much of an answer as is shown."""
        return answer

    def given_of(self, row: Inquiry) -> Given:
        """Return what a row is answered from."""
        return self._given.validate_python(row.given)

    def keep(self, row: Inquiry, answer: Answer) -> None:
        """Store what is known of the answer."""
        Inquiry.objects.filter(pk=row.pk).update(answer=self._answer.dump_python(answer, mode="json"))

    def given(self, job: Job) -> Asked[Given, Answer]:
        """Return the question as it was asked."""
        return self.asked(job)

    def asked(self, job: Job | None) -> Asked[Given, Answer]:
        """Return the question that a job is to answer, or its parent is."""
        row = row_of(Inquiry.objects.select_related("fit__stated"), job)
        return Asked(row, self.given_of(row), self.answer_of(row))

    def compute(self, given: Asked[Given, Answer], control: Control) -> Answer:
        """Return the answer."""

        def keep(known: Answer) -> None:
            control.keep(lambda: self.keep(given.row, known))

        answer = self.answer(given, control, keep)
        # A worker that takes it up again begins with ``so_far``.
        if control.gave_way:  # What is known is where it goes on.
            keep(answer)
        return answer

    def on_done(self, job: Job) -> None:
        """Follow up on the answer."""
        # Looked up by name: who computes must not know who asks, or both packages would import each other.
        follow, row = FOLLOW_UPS.get(self.question), Inquiry.objects.filter(job=job).first()
        if follow is not None and row is not None:
            follow(row)

    def store(self, job: Job, given: Asked[Given, Answer], result: Answer) -> str:
        """Store the answer."""
        self.keep(given.row, result)
        return ""


FOLLOW_UPS: dict[Question, Callable[[Inquiry], None]] = {}
"""What is done once a question is answered for good; filled where asking and computing are both known."""

QUESTIONS: dict[Question, QuestionKind[Any, Any]] = {}
"""Every question, by its name; each module of this package adds its own."""

Q = TypeVar("Q", bound=type[QuestionKind[Any, Any]])


def question(kind: Q) -> Q:
    """Return a kind of question, which can be asked, and its job done, by its name from now on."""
    kind.name = str(kind.question)
    register(kind)
    QUESTIONS[kind.question] = cast("QuestionKind[Any, Any]", kind_of(kind.name))
    return kind


def month(per_hour: Decimal | float) -> str:
    """Return an amount an hour as an amount a month."""
    return format(Decimal(per_hour) * HOURS_PER_MONTH, ".2f")

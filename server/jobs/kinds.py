"""What a kind of background work is: one class in one file, registered by its name."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Collection, Sequence
from dataclasses import dataclass
from typing import Any, ClassVar, Generic, TypeVar

from django.db.models import QuerySet

from jobs.control import Control
from jobs.models import Job, Worked
from rombel.errors import Fault
from rombel.fit import Progress

Input = TypeVar("Input")
Result = TypeVar("Result")


class Needless(Exception):
    """There is nothing left to compute; its text is told of the job, which is done."""


@dataclass(frozen=True, slots=True)
class Refusal:
    """What is told of input that cannot be computed from."""

    message: str
    faults: tuple[Fault, ...] = ()


class Kind(ABC, Generic[Input, Result]):
    """How one kind of job is done; ``Input`` and ``Result`` are frozen values.

    A job may begin twice: its worker was killed, or taken for dead. So ``given`` and ``compute`` change nothing that counts, and
    ``store`` runs in the transaction that closes the job, once.

    Attributes
    ----------
    name
        Written in the job's row.
    queue, priority
        Where it waits, and before what.
    computes
        Whether other code could answer it otherwise; what only waits for others any worker may do.
    again
        Whether a failed one may be begun again: all that it computes from is kept.
    gives_way
        Whether it stops and goes on later where a job of a higher priority finds no worker.
    parts
        The kind of the parts that compute it, and how many they are; None: a worker computes it as a whole.
    endless
        Whether it is begun again however often its worker died: it follows something that goes on elsewhere.
    stopped, defect
        What is told of a job that was stopped without a result, and of one that failed by a fault of ours; ``{error}`` names it.

    """

    name: ClassVar[str]
    queue: ClassVar[str] = "plan"
    computes: ClassVar[bool] = True
    again: ClassVar[bool] = False
    priority: ClassVar[int] = 0
    gives_way: ClassVar[bool] = False
    parts: ClassVar[tuple[str, int] | None] = None
    endless: ClassVar[bool] = False
    stopped: ClassVar[str] = "Stopped before the end."
    defect: ClassVar[str] = "It failed by a fault of ours ({error}); the log says more."

    @abstractmethod
    def given(self, job: Job) -> Input:
        """Return what is computed from.

        Raises
        ------
        Needless
            When there is nothing left to compute.

        """

    @abstractmethod
    def compute(self, given: Input, control: Control) -> Result:
        """Return the result; ``control`` is told how far it is, says when to stop, and keeps what is known on the way."""

    @abstractmethod
    def store(self, job: Job, given: Input, result: Result) -> str:
        """Store the result, in the transaction that closes the job; return what is told of it."""

    def told(self, job: Job, progress: Progress) -> None:
        """Keep more of the progress than phase and share."""

    def refusal(self, error: Exception) -> Refusal | None:
        """Return what is told where an error is the input's, and no fault of ours; None: it is ours."""
        return None

    def failed(self, job: Job, faults: Sequence[Fault]) -> None:
        """Put away what a job that failed or was stopped leaves behind, in the transaction that closes it."""

    def on_done(self, job: Job) -> None:
        """Follow up, once the result is stored for good."""


W = TypeVar("W", bound=Worked)


def row_of(rows: QuerySet[W], job: Job | None) -> W:
    """Return the row that a job computes.

    Raises
    ------
    Needless
        When it was deleted meanwhile.

    """
    found = rows.filter(job=job).first()
    if found is None:
        raise Needless("What it was to compute is gone.")
    return found


_KINDS: dict[str, Kind[Any, Any]] = {}


K = TypeVar("K", bound=type[Kind[Any, Any]])


def register(kind: K) -> K:
    """Return a kind, which is known under its name from now on.

    Raises
    ------
    ValueError
        When another kind has that name.

    """
    if type(_KINDS.get(kind.name)) not in (type(None), kind):
        raise ValueError(f"two kinds of job are named {kind.name}")
    _KINDS[kind.name] = kind()
    return kind


def kinds_in(queues: Collection[str]) -> frozenset[str]:
    """Return the names of the kinds that wait in some queues."""
    return frozenset(name for name, kind in _KINDS.items() if kind.queue in queues)


def queues() -> frozenset[str]:
    """Return the names of the queues in which kinds of job wait."""
    return frozenset(kind.queue for kind in _KINDS.values())


def kind_of(name: str) -> Kind[Any, Any]:
    """Return the kind of a name."""
    return _KINDS[name]

"""The errors the core raises, and the faults they carry.

::

    RombelError
    ├── InputRefused        bad input; carries every Fault found, nothing was taken
    └── CheckFailed         an answer of the solver broke a rule (a defect of ours, never shown as a plan)

An infeasible problem is no error: it is an answer (see ``FitStatus``).
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Fault:
    """One thing wrong with an input: where it is, what it is, and what would fix it.

    Parameters
    ----------
    code
        Stable short name, for programs (``quantity.suffix``).
    path
        Where in the input: a JSON-like path (``workloads[3].request.cpu_millicores``) or a file place.
    reason
        What is wrong, in a sentence.
    fix
        What would fix it, in a sentence.
    line, column
        Place in a text file, counted from 1; 0 where there is none.

    """

    code: str
    path: str
    reason: str
    fix: str
    line: int = 0
    column: int = 0

    def __str__(self) -> str:
        """Return the fault as one readable line."""
        index = f"line {self.line}, column {self.column}: " if self.line else ""
        where = f"{self.path}: " if self.path else ""
        return f"{index}{where}{self.reason} {self.fix}".strip()


class RombelError(Exception):
    """Base of every error that the core raises on purpose."""

    code = "rombel"


class InputRefused(RombelError):
    """Input was refused whole; every fault found is listed, nothing was taken.

    Parameters
    ----------
    faults
        At least one fault.

    """

    code = "input.refused"

    def __init__(self, faults: Sequence[Fault]) -> None:
        self.faults: tuple[Fault, ...] = tuple(faults)
        super().__init__("; ".join(str(fault) for fault in self.faults))


class CheckFailed(RombelError):
    """An answer broke a rule when it was checked again by the independent checker.

    Parameters
    ----------
    violations
        One sentence for each broken rule.

    """

    code = "check.failed"

    def __init__(self, violations: Sequence[str]) -> None:
        self.violations: tuple[str, ...] = tuple(violations)
        super().__init__("; ".join(self.violations))


def refuse(code: str, path: str, reason: str, fix: str) -> InputRefused:
    """Return the error for a single fault, ready to raise."""
    return InputRefused([Fault(code, path, reason, fix)])


@contextmanager
def gathered(faults: list[Fault]) -> Iterator[None]:
    """Gather what is refused inside, so that every fault is told at once."""
    try:
        yield
    except InputRefused as refused:
        faults += refused.faults

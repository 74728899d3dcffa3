"""What every CSV reader here shares: the header's faults, and cells read one by one with their places."""

from __future__ import annotations

import re
from collections.abc import Callable, Collection, Mapping, Sequence
from typing import Any

from rombel.errors import Fault, InputRefused

_FORMULA = re.compile("'*[=+\\-@\t\r]")
_NUMBER = re.compile(r"[+-]?[0-9]+(\.[0-9]+)?")


def header_faults(header: Sequence[str], required: Sequence[str]) -> list[Fault]:
    """Return what is wrong with a header: nothing there, columns missing, columns twice."""
    fix = f"The first line names the columns: {', '.join(required)}."
    if not any(header):
        return [Fault("csv.empty", "", "There is no header line.", fix, 1, 1)]
    faults = [
        Fault("csv.column", name, f"The column '{name}' is missing.", fix, 1, 1)
        for name in required
        if name not in header
    ]
    for index, name in enumerate(header):
        if name in header[:index]:
            reason = f"The column '{name}' stands twice."
            faults.append(Fault("csv.twice", name, reason, "Keep one of them.", 1, index + 1))
    return faults


def guarded(cell: object) -> object:
    """Return a cell as it is written: one that a spreadsheet would run as a formula gets an apostrophe in front."""
    text = str(cell)
    return f"'{text}" if _FORMULA.match(text) and not _NUMBER.fullmatch(text) else cell


def unguarded(cell: str) -> str:
    """Return a cell as it was before ``guarded``."""
    return cell[1:] if cell.startswith("'") and _FORMULA.match(cell[1:]) else cell


class Cells:
    """The cells of one line, read one by one; what a reader refuses is kept with its line and column.

    Parameters
    ----------
    cells
        Column name to text.
    header
        The columns in their order.
    line
        The line, for faults; 0 where the cells come from no file.
    optional
        Columns that may be empty or left out.
    topic
        What codes of faults begin with.

    """

    def __init__(
        self,
        cells: Mapping[str, str],
        header: Sequence[str],
        line: int,
        optional: Collection[str],
        topic: str = "demand",
    ) -> None:
        self._topic = topic
        self._cells, self._header, self._line, self._optional = cells, header, line, optional
        self.faults: list[Fault] = []

    def take(self, name: str, parse: Callable[[str], Any], default: Any) -> Any:
        """Return the parsed cell; the default where it is optional and empty, or refused."""
        text = (self._cells.get(name) or "").strip()
        if not text and name in self._optional:
            return default
        try:
            return parse(text)
        except InputRefused as refused:
            self.faults += [self._fault(name, f.code, f.reason, f.fix) for f in refused.faults]
            return default

    def refuse(self, name: str, reason: str, fix: str) -> None:
        """Keep a fault of a cell that only its neighbours show to be wrong."""
        self.faults.append(self._fault(name, f"{self._topic}.{name}", reason, fix))

    def _fault(self, name: str, code: str, reason: str, fix: str) -> Fault:
        """Return the fault of a cell at its line and column; column 0 where the line has no such cell."""
        column = self._header.index(name) + 1 if name in self._header else 0
        return Fault(code, name, reason, fix, self._line, column)

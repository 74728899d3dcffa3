"""The wall around the linear solver: the only module that imports ``highspy``.

Columns are added in batches; every solve starts from the last basis. Results come back as our own value.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

import highspy
import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Ints = NDArray[np.int32]
INFINITY = float(highspy.kHighsInf)
Stop = Callable[[], bool]
"""Says whether somebody wishes to stop; it is asked often, from whatever thread solves."""


def never() -> bool:
    """Return False: nobody wishes to stop."""
    return False


@dataclass(slots=True)
class Columns:
    """A batch of columns in compressed form: costs, upper and lower bounds, starts, row indices, values."""

    costs: list[float] = field(default_factory=list)
    uppers: list[float] = field(default_factory=list)
    starts: list[int] = field(default_factory=list)
    rows: list[int] = field(default_factory=list)
    values: list[float] = field(default_factory=list)
    lowers: list[float] = field(default_factory=list)

    def add(self, cost: float, entries: list[tuple[int, float]], upper: float = INFINITY, lower: float = 0.0) -> None:
        """Add one column; entries are (row, coefficient) with each row at most once."""
        self.costs.append(cost)
        self.uppers.append(upper)
        self.lowers.append(lower)
        self.starts.append(len(self.rows))
        self.rows.extend(row for row, _ in entries)
        self.values.extend(value for _, value in entries)


@dataclass(frozen=True, slots=True)
class LinearResult:
    """A solved program: how it ended, its value, columns (primal, reduced costs) and rows (dual), by index.

    ``impossible``: no values meet all rows and bounds. ``stopped``: somebody wished to stop, or its work was used up.
    """

    optimal: bool
    impossible: bool
    stopped: bool
    objective: float
    primal: Floats
    dual: Floats
    reduced: Floats
    bound: float


class LinearModel:
    """A minimisation over columns at least 0, with rows between a lower and an upper bound.

    Parameters
    ----------
    lower, upper
        Bounds of the first rows.
    stop
        Asked while it is solved.

    """

    def __init__(self, lower: list[float], upper: list[float], stop: Stop = never) -> None:
        self._highs, self._stop = highspy.Highs(), stop
        # The solver's callbacks come from its own loop, so how much is left and whether it has ended are kept on the object.
        self._checks_left, self._ended = INFINITY, False
        # One thread: two searches and the proof already share the cores, and one thread gives the same answer every time.
        self._highs.setOptionValue("output_flag", False)
        self._highs.setOptionValue("threads", 1)
        none_i, none_f = np.zeros(0, np.int32), np.zeros(0)
        starts = np.zeros(len(lower), np.int32)
        # Rows come first and empty; columns bring their entries along, as column generation adds nothing but columns.
        self._highs.addRows(len(lower), np.array(lower), np.array(upper), 0, starts, none_i, none_f)
        self.columns, self.rows = 0, len(lower)

    def add(self, batch: Columns) -> None:
        """Append a batch of columns."""
        self._highs.addCols(
            len(batch.costs),
            np.array(batch.costs, float),
            np.array(batch.lowers, float),
            np.array(batch.uppers, float),
            len(batch.rows),
            np.array(batch.starts, np.int32),
            np.array(batch.rows, np.int32),
            np.array(batch.values, float),
        )
        self.columns += len(batch.costs)

    def add_rows(self, rows: list[list[tuple[int, float]]], upper: float, lower: float = -INFINITY) -> None:
        """Append rows with entries (column, coefficient) between two bounds."""
        # Compressed rows: where each row's entries start, then all columns and all values behind one another.
        if rows:
            starts = np.cumsum([0, *(len(row) for row in rows[:-1])]).astype(np.int32)
            columns = np.array([column for row in rows for column, _ in row], np.int32)
            values = np.array([value for row in rows for _, value in row], float)
            lowers, uppers = np.full(len(rows), lower), np.full(len(rows), upper)
            self._highs.addRows(len(rows), lowers, uppers, len(columns), starts, columns, values)
            self.rows += len(rows)

    def at_least(self, column: int, lower: float, upper: float = INFINITY) -> None:
        """Bound one column."""
        self._highs.changeColBounds(column, lower, upper)

    def bound_rows(self, rows: Ints, lower: Floats, upper: Floats) -> None:
        """Replace the bounds of rows."""
        for row, low, high in zip(rows.tolist(), lower.tolist(), upper.tolist(), strict=True):
            self._highs.changeRowBounds(row, low, high)

    def bound_columns(self, columns: Ints, lower: Floats, upper: Floats) -> None:
        """Replace the bounds of columns."""
        self._highs.changeColsBounds(len(columns), columns, lower, upper)

    def set_costs(self, costs: Floats) -> None:
        """Replace the costs of all columns."""
        self._highs.changeColsCost(self.columns, np.arange(self.columns, dtype=np.int32), costs)

    def integral(self, columns: Ints, wanted: bool = True) -> None:
        """Ask for whole numbers in these columns, or no longer."""
        kinds = np.full(len(columns), highspy.HighsVarType.kInteger if wanted else highspy.HighsVarType.kContinuous)
        self._highs.changeColsIntegrality(len(columns), columns, kinds)

    def solve(self, most_nodes: int | None = None, most_checks: float = INFINITY) -> LinearResult:
        """Return the solved program; ``most_nodes`` and ``most_checks`` bound the tree of an integer program.

        Work is counted in the solver's own checks of its limits, and not in seconds, so that the same program ends the same
        everywhere.
        """
        if most_nodes is not None:
            # A whole-number answer is taken for proved only when nothing is left between it and the bound.
            for name, value in (("mip_max_nodes", most_nodes), ("mip_rel_gap", 0.0), ("mip_abs_gap", 1e-7)):
                self._highs.setOptionValue(name, value)
        self._checks_left, self._ended = most_checks, False
        # Both events are listened to: the first while a linear program is solved, the second between nodes of a tree.
        watched = ((self._highs.cbSimplexInterrupt, self._watch), (self._highs.cbMipInterrupt, self._count))
        for event, told in watched:
            event.subscribe(told)
        self._highs.run()
        for event, told in watched:
            event.unsubscribe(told)
        solution, info = self._highs.getSolution(), self._highs.getInfo()
        status = self._highs.getModelStatus()
        optimal = status == highspy.HighsModelStatus.kOptimal
        primal = np.array(solution.col_value, float)
        dual, reduced = np.array(solution.row_dual, float), np.array(solution.col_dual, float)
        # For a stopped tree only the dual bound proves something; a linear program's own value is its bound.
        bound = float(info.mip_dual_bound) if most_nodes is not None else float(info.objective_function_value)
        impossible = status == highspy.HighsModelStatus.kInfeasible
        value = float(info.objective_function_value)
        return LinearResult(optimal, impossible, self._ended, value, primal, dual, reduced, bound)

    def _watch(self, event: Any) -> None:
        """End the solve when somebody wishes to stop."""
        if self._ended or self._stop():
            self._ended = True
            event.interrupt()

    def _count(self, event: Any) -> None:
        """End the tree when its work is used up or somebody wishes to stop."""
        self._checks_left -= 1
        self._ended = self._ended or self._checks_left < 0
        self._watch(event)

"""Step 7. Rows and columns of a whole-number program, as they are made one by one."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from rombel.fit.bounds._highs import INFINITY, Columns, LinearModel, Stop


@dataclass(slots=True)
class Rows:
    """Rows and columns as they are made: bounds of rows; cost, upper and lower bound and entries of columns."""

    lower: list[float] = field(default_factory=list)
    upper: list[float] = field(default_factory=list)
    columns: list[tuple[float, float, float, dict[int, float]]] = field(default_factory=list)

    def row(self, lower: float, upper: float = INFINITY) -> int:
        """Add a row and return its index."""
        self.lower.append(lower)
        self.upper.append(upper)
        return len(self.lower) - 1

    def column(self, cost: float = 0.0, upper: float = INFINITY, lower: float = 0.0) -> int:
        """Add a column without entries and return its index."""
        self.columns.append((cost, upper, lower, {}))
        return len(self.columns) - 1

    def put(self, row: int, column: int, value: float) -> None:
        """Add to the entry of a column in a row."""
        entries = self.columns[column][3]
        entries[row] = entries.get(row, 0.0) + value

    def model(self, stop: Stop) -> LinearModel:
        """Return the program, all of its columns whole numbers."""
        model, batch = LinearModel(self.lower, self.upper, stop), Columns()
        for cost, upper, lower, entries in self.columns:
            batch.add(cost, [(row, value) for row, value in entries.items() if value], upper, lower)
        model.add(batch)
        model.integral(np.arange(len(self.columns), dtype=np.int32))
        return model

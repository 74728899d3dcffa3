"""Where the build service keeps its builds and clusters, so that it knows them again after it was started anew."""

from __future__ import annotations

import json
import sqlite3
from collections.abc import Iterator
from typing import Any


class Kept:
    """Values by sort and name in a file (SQLite); ``:memory:`` keeps them as long as the process lives."""

    def __init__(self, path: str) -> None:
        # Its users hold a lock of their own; requests come from several threads.
        self._file = sqlite3.connect(path, check_same_thread=False, isolation_level=None)
        self._file.execute(
            "create table if not exists kept (sort text, name text, value text, primary key (sort, name))"
        )

    def get(self, sort: str, name: str) -> dict[str, Any] | None:
        """Return a value; None: there is none."""
        row = self._file.execute("select value from kept where sort = ? and name = ?", (sort, name)).fetchone()
        return None if row is None else json.loads(row[0])

    def put(self, sort: str, name: str, value: dict[str, Any]) -> None:
        """Keep a value."""
        self._file.execute("insert or replace into kept values (?, ?, ?)", (sort, name, json.dumps(value)))

    def drop(self, sort: str, name: str) -> None:
        """Forget a value."""
        self._file.execute("delete from kept where sort = ? and name = ?", (sort, name))

    def all(self, sort: str) -> Iterator[tuple[str, dict[str, Any]]]:
        """Yield the values of a sort with their names."""
        for name, value in self._file.execute("select name, value from kept where sort = ? order by name", (sort,)):
            yield name, json.loads(value)

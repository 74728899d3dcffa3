"""Statements of the database that take long: each leaves a line of the log, with the request or the job that it is of."""

from __future__ import annotations

import logging
import time
from collections.abc import Callable
from typing import Any

from django.db.backends.base.base import BaseDatabaseWrapper
from django.db.backends.signals import connection_created

log = logging.getLogger("rombel.database")

SLOW_S = 0.5
"""Longer than this is told."""


def watch() -> None:
    """Look at the time of every statement from now on."""
    connection_created.connect(_look, dispatch_uid="slow-statements")


def _look(sender: object, connection: BaseDatabaseWrapper, **_: object) -> None:
    # A connection that was lost and made again keeps who looks at it.
    if timed not in connection.execute_wrappers:
        connection.execute_wrappers.append(timed)


def timed(execute: Callable[..., Any], sql: Any, params: Any, many: bool, context: Any) -> Any:
    """Execute a statement, and tell if it took long; what it is asked of people's data stands in its parameters, which are not told."""
    began = time.monotonic()
    try:
        return execute(sql, params, many, context)
    finally:
        took = time.monotonic() - began
        if took > SLOW_S:
            log.warning("a statement took long", extra={"ms": round(1000 * took), "statement": str(sql)[:500]})

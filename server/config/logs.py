"""Log lines as JSON objects, one a line."""

from __future__ import annotations

import json
import logging
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from contextvars import ContextVar
from datetime import UTC, datetime
from types import MappingProxyType

ABOUT: ContextVar[Mapping[str, object]] = ContextVar("about", default=MappingProxyType({}))
"""What every line carries that is written meanwhile: the request or the job, and the study that it is about."""


@contextmanager
def about(**known: object) -> Iterator[None]:
    """Let every line that is written within carry what is known of what it is about."""
    before = ABOUT.set({**ABOUT.get(), **known})
    try:
        yield
    finally:
        ABOUT.reset(before)


def learn(**known: object) -> None:
    """Let lines carry more from here on, until the end of what ``about`` was said of."""
    ABOUT.set({**ABOUT.get(), **known})


EXTRAS = ("method", "path", "status", "ms", "person", "job", "jobs", "address", "digest", "place", "statement")
"""What lines carry beside the message, where it is known."""


class JsonFormatter(logging.Formatter):
    """Formats a record as one JSON object with time, level, logger and message."""

    def format(self, record: logging.LogRecord) -> str:
        """Return the line."""
        entry: dict[str, object] = {
            "time": datetime.fromtimestamp(record.created, UTC).isoformat(timespec="milliseconds"),
            "level": record.levelname,
            "logger": record.name,
            "message": record.getMessage(),
        }
        entry |= {**ABOUT.get(), **{name: value for name, value in vars(record).items() if name in EXTRAS}}
        if record.exc_info:
            entry["exception"] = self.formatException(record.exc_info)
        return json.dumps(entry, ensure_ascii=False, default=str)

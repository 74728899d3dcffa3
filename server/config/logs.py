"""Log lines as JSON objects, one a line."""

from __future__ import annotations

import json
import logging
from datetime import UTC, datetime

EXTRAS = ("method", "path", "status", "ms", "person", "job", "jobs", "address", "digest", "place")
"""What lines carry beside the message, where it is known."""


class JsonFormatter(logging.Formatter):
    """Formats a record as one JSON object with time, level, logger and message."""

    def format(self, record: logging.LogRecord) -> str:
        """Return the line."""
        entry = {
            "time": datetime.fromtimestamp(record.created, UTC).isoformat(timespec="milliseconds"),
            "level": record.levelname,
            "logger": record.name,
            "message": record.getMessage(),
        }
        entry |= {name: value for name, value in vars(record).items() if name in EXTRAS}
        if record.exc_info:
            entry["exception"] = self.formatException(record.exc_info)
        return json.dumps(entry, ensure_ascii=False, default=str)

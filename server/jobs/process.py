"""Which of the workers this process is."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass
class Own:
    """The key of this process's row among the workers; None: it is none."""

    key: int | None = None


OWN = Own()

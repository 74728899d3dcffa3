"""Lets a process that computes stand back behind those that answer people on the same machine."""

import os
from contextlib import suppress
from pathlib import Path

POLITE = 10
"""By how much it stands back (nice)."""
SHARED_BY_SESSION = Path("/proc/self/autogroup")


def stand_back() -> None:
    """Lower the priority of this process, and of its session where that has nobody else in it.

    Linux shares a machine's time between sessions first, and looks at a process's own priority within its session alone: of two
    processes that a supervisor started in sessions of their own, the polite one gets as much as the other (``man 7 sched``,
    "The autogroup feature"). Where a control group shares the time, as under systemd, its weight counts, and neither of these.
    """
    os.nice(POLITE)
    if os.getsid(0) == os.getpid():
        # A kernel without sessions' shares has no such file.
        with suppress(OSError):
            SHARED_BY_SESSION.write_text(str(POLITE))

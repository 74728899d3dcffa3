"""Starts the processes of an installation and starts again what ends: ``python -m config.supervise FOLDER < processes.json``.

Standard input is a JSON object of name to command. Each process has a log of its own in the folder; ``processes.json`` there tells
what runs; without a folder they write where the supervisor does. The web process is told to begin anew once it has grown large, and
answers meanwhile. Told to end (SIGTERM), it ends them all, and waits until they have.
"""

from __future__ import annotations

import contextlib
import json
import os
import signal
import subprocess
import sys
import time
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

SHORTEST_S, LONGEST_S = 1.0, 30.0
"""Pauses before a process is started again, doubled each time it ends soon."""
STEADY_S = 60.0
"""After so long a process is taken to run well, and its next end is its first."""
MOST_BYTES = 1200 * 2**20
"""Of the web processes together; an hour of hostile tries made 750 MiB of them, a working day far less."""
WEIGHED_EVERY_S = 10.0
PATIENCE_S = 25.0
"""What was told to end and has not after so long is killed."""


class Child:
    """One process: its command, and how often it had to be started again; without a folder it writes where its parent does."""

    def __init__(self, name: str, command: list[str], folder: Path | None) -> None:
        self.name, self._command = name, command
        self._log = None if folder is None else folder / f"{name}.log"
        self.restarts, self._pause, self._since, self._next = 0, SHORTEST_S, 0.0, 0.0
        self.process: subprocess.Popen[bytes] | None = None

    def start(self) -> None:
        """Start it, in a session of its own so that its own children end with it."""
        # A journal's socket cannot be opened by its name: without a folder, the parent's own is handed on.
        with contextlib.nullcontext(None) if self._log is None else self._log.open("ab") as log:
            self.process = subprocess.Popen(
                self._command, stdin=subprocess.DEVNULL, stdout=log, stderr=log, start_new_session=True
            )
        self._since = time.monotonic()

    def look(self) -> bool:
        """Start it again where it has ended and its pause is over; return whether anything changed."""
        if self.process is None or self.process.poll() is None:
            return False
        now = time.monotonic()
        if not self._next:
            # A process that ran well for a while begins with the short pause again.
            steady = now - self._since > STEADY_S
            self._pause = SHORTEST_S if steady else min(2 * self._pause, LONGEST_S)
            self._next = now + self._pause
            say(f"{self.name} ended with {self.process.returncode}; it is started again in {self._pause:.0f} s")
        if now < self._next:
            return False
        self._next, self.restarts = 0.0, self.restarts + 1
        self.start()
        return True

    def weigh(self) -> None:
        """Tell a process that has grown too large to begin anew: gunicorn starts a new worker, and the old one ends its answers."""
        if self.process is None or self.process.poll() is not None:
            return
        found = resident_bytes(self.process.pid)
        if found > MOST_BYTES:
            say(f"{self.name} holds {found // 2**20} MiB; it begins anew")
            with contextlib.suppress(ProcessLookupError):
                # HUP lets the web server replace its worker while the old one finishes its answers.
                os.kill(self.process.pid, signal.SIGHUP)

    def signal(self, number: int) -> None:
        """Send a signal to it and its children."""
        if self.process is not None and self.process.poll() is None:
            with contextlib.suppress(ProcessLookupError):
                os.killpg(self.process.pid, number)


def resident_bytes(leader: int) -> int:
    """Return the memory that the processes of a group hold, as the kernel counts it (``/proc``, field 24 of ``stat``)."""
    total = 0
    # Children of the web process count with it: the group is what the machine feels.
    for entry in Path("/proc").glob("[0-9]*/stat"):
        with contextlib.suppress(OSError):  # Processes come and go.
            fields = entry.read_text("utf-8", "replace").rpartition(")")[2].split()
            if int(fields[2]) == leader:
                total += int(fields[21]) * os.sysconf("SC_PAGE_SIZE")
    return total


def say(words: str) -> None:
    """Write a line of the log."""
    entry = {"time": datetime.now(UTC).isoformat(timespec="milliseconds"), "level": "WARNING", "message": words}
    sys.stderr.write(json.dumps(entry) + "\n")
    sys.stderr.flush()


def supervise(commands: dict[str, list[str]], folder: Path | None) -> None:
    """Keep the processes running until told to end."""
    children = [Child(name, command, folder) for name, command in commands.items()]
    ending: list[int] = []

    def end(number: int, _: Any) -> None:
        ending.append(number)

    signal.signal(signal.SIGTERM, end)
    signal.signal(signal.SIGINT, end)
    for child in children:
        child.start()
    _tell(children, folder)
    weighed = time.monotonic()
    while not ending:
        time.sleep(0.2)
        if time.monotonic() - weighed > WEIGHED_EVERY_S:
            weighed = time.monotonic()
            for child in children:
                # Workers hold compiled code and large problems, and end by themselves when they have to.
                if child.name == "web":
                    child.weigh()
        if any([child.look() for child in children]):
            _tell(children, folder)
    for child in children:
        child.signal(signal.SIGTERM)
    # Whoever does not hear a polite end is ended.
    last = time.monotonic() + PATIENCE_S
    while any(child.process is not None and child.process.poll() is None for child in children):
        if time.monotonic() > last:
            for child in children:
                child.signal(signal.SIGKILL)
        time.sleep(0.1)
    if folder is not None:
        (folder / "processes.json").unlink(missing_ok=True)


def _tell(children: list[Child], folder: Path | None) -> None:
    """Write down what runs."""
    if folder is None:
        return
    found = {c.name: {"pid": c.process.pid if c.process else 0, "restarts": c.restarts} for c in children}
    text = folder / "processes.json.new"
    text.write_text(json.dumps(found), "utf-8")
    # Replaced in one step: whoever reads the file never sees half of it.
    text.replace(folder / "processes.json")


if __name__ == "__main__":
    supervise(json.load(sys.stdin), Path(sys.argv[1]) if sys.argv[1:] else None)

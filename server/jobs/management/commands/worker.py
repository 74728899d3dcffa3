"""``manage.py worker``: what a machine works on, in the foreground, for any supervisor."""

import argparse
import os
import sys
from typing import Any

from django.core.management.base import BaseCommand, CommandError, CommandParser

from config.start import hindrances
from config.supervise import supervise
from jobs.kinds import queues

WAITING = {"builds": 20}
"""Queues whose jobs wait for others and compute little, each with how many of them one process does at once."""
ALONE = "rescue"
"""Puts back what dead workers left; in a process of its own, so that no long job keeps it waiting."""


class Command(BaseCommand):
    """Start a process for each kind of queue, and keep them running until told to end."""

    help = "Work on jobs, in the foreground."

    def add_arguments(self, parser: CommandParser) -> None:
        """Take the names of the queues, and how many jobs are computed at once."""
        known = ",".join(every_queue())
        parser.add_argument(
            "--queues", type=_names, default=every_queue(), help=f"with commas between them; all: {known}"
        )
        parser.add_argument(
            "--jobs", type=_count, default=os.cpu_count() or 1, help="jobs computed at once; one a core"
        )

    def handle(self, *args: Any, queues: list[str], jobs: int, **options: Any) -> None:
        """Become the worker, or watch over several."""
        if missing := list(hindrances(web=False)):
            raise CommandError("\n".join(missing), returncode=2)
        commands = processes(queues, jobs)
        if len(commands) == 1:
            (command,) = commands.values()
            os.execv(command[0], command)
        supervise(commands, None)


def every_queue() -> list[str]:
    """Return the names of all queues."""
    return sorted({*queues(), ALONE})


def processes(wanted: list[str], jobs: int) -> dict[str, list[str]]:
    """Return the commands of the processes that work on some queues, by a name for each."""
    work = [sys.executable, "manage.py", "work"]
    computing = [name for name in wanted if name not in WAITING and name != ALONE]
    found = {f"worker-{number + 1}": [*work, ",".join(computing)] for number in range(jobs if computing else 0)}
    found |= {name: [*work, name, "--at-once", str(WAITING[name])] for name in wanted if name in WAITING}
    return found | ({ALONE: [*work, ALONE]} if ALONE in wanted else {})


def _names(text: str) -> list[str]:
    names = [name.strip() for name in text.split(",")]
    for name in names:
        if name not in every_queue():
            raise argparse.ArgumentTypeError(f"there is no queue '{name}'; name some of {', '.join(every_queue())}")
    return names


def _count(text: str) -> int:
    if not text.isdigit() or not 1 <= int(text) <= 256:
        raise argparse.ArgumentTypeError(f"'{text}' jobs at once are none; state 1 to 256")
    return int(text)

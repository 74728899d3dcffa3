"""``manage.py work QUEUES``: a worker that has loaded all compiled code before it takes its first job."""

from typing import Any

from django.core.management import call_command
from django.core.management.base import BaseCommand, CommandParser

from jobs.control import SERVED
from jobs.kinds import kinds_in
from rombel.plan import warm_up


class Command(BaseCommand):
    """Work on queues, one job at a time."""

    help = "Load what is compiled, then work on the queues named, one job at a time."

    def add_arguments(self, parser: CommandParser) -> None:
        """Take the names of the queues."""
        parser.add_argument("queues", help="names of queues, with commas between them")

    def handle(self, *args: Any, queues: str, **options: Any) -> None:
        """Load, then work until told to end."""
        warm_up()
        SERVED.update(kinds_in(queues.split(",")))
        call_command("procrastinate", "worker", "-q", queues, "-c", "1", "-p", "1")

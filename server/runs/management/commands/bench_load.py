"""``manage.py bench_load ADDRESS``: measure many planners at once on a running demo."""

from typing import Any

from django.core.management.base import BaseCommand, CommandParser

from demo.bench_load import measured


class Command(BaseCommand):
    """Measure, and delete what was made for it."""

    help = "Measure many planners at once on a running demo."

    def add_arguments(self, parser: CommandParser) -> None:
        """Take where it runs, how many planners there are, and for how long."""
        parser.add_argument("address")
        parser.add_argument("planners", type=int, nargs="?", default=200)
        parser.add_argument("seconds", type=float, nargs="?", default=300.0)

    def handle(self, *args: Any, address: str, planners: int, seconds: float, **options: Any) -> None:
        """Write a line for each thing that planners do."""
        for line in measured(address.rstrip("/"), planners, seconds):
            self.stdout.write(line)

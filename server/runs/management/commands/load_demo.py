"""``manage.py load_demo``: put the demo into the database."""

from typing import Any

from django.core.management.base import BaseCommand

from demo.load import load_demo


class Command(BaseCommand):
    """Load people, catalogue and studies; what is there stays."""

    help = "Load the demo; what is there already stays."

    def handle(self, *args: Any, **options: Any) -> None:
        """Load it."""
        self.stdout.write("demo loaded" if load_demo() else "demo is there already")

"""``manage.py write_samples FOLDER``: files to try every import with."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from django.core.management.base import BaseCommand, CommandParser

from demo.samples import write_samples


class Command(BaseCommand):
    """Writes the demo's files to import."""

    help = "Write files to import: manifests, Compose, CSV, a cluster's listing, usage series."

    def add_arguments(self, parser: CommandParser) -> None:
        """Take the folder."""
        parser.add_argument("folder", type=Path)

    def handle(self, *args: Any, **options: Any) -> None:
        """Write them."""
        for name in write_samples(options["folder"]):
            self.stdout.write(name)

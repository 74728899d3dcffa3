"""``manage.py bench_studies``: measure lists, revisions and comparisons on the demo's database."""

from importlib import import_module
from typing import Any, ClassVar

from django.core.management.base import BaseCommand


class Command(BaseCommand):
    """Measure, and take everything back that was made for it."""

    help = "Measure a list of five hundred studies, a revision brought back and a comparison."
    module: ClassVar[str] = "demo.bench_studies"

    def handle(self, *args: Any, **options: Any) -> None:
        """Write a line for each."""
        for words, taken, wanted in import_module(self.module).measured():
            reached = "" if taken <= wanted else "   NOT reached"
            self.stdout.write(f"{words:58} {taken:6.3f} s   wanted {wanted} s{reached}")

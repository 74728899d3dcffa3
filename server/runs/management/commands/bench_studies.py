"""``manage.py bench_studies``: measure lists, revisions and comparisons on the demo's database."""

from typing import Any

from django.core.management.base import BaseCommand

from demo.bench_studies import measured


class Command(BaseCommand):
    """Measure, and take everything back that was made for it."""

    help = "Measure a list of five hundred studies, a revision brought back and a comparison."

    def handle(self, *args: Any, **options: Any) -> None:
        """Write a line for each."""
        for words, taken, wanted in measured():
            reached = "" if taken <= wanted else "   NOT reached"
            self.stdout.write(f"{words:58} {taken:6.3f} s   wanted {wanted} s{reached}")

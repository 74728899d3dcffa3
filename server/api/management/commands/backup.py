"""``manage.py backup FILE``: the whole database as one file, as it was at one moment, while people go on working."""

import os
from pathlib import Path
from typing import Any

from django.core.management.base import BaseCommand, CommandError, CommandParser

from config.dumps import NotDone, run_for_database


class Command(BaseCommand):
    """Write the file beside its name first, so that whoever finds it finds it whole."""

    help = "Write the whole database to a file."

    def add_arguments(self, parser: CommandParser) -> None:
        """Take the file."""
        parser.add_argument("file", type=Path)

    def handle(self, *args: Any, file: Path, **options: Any) -> None:
        """Write it; it holds everything that people entered and is readable by its owner alone."""
        if file.exists():
            raise CommandError(f"{file} is there already. Name another file, or take that one away.")
        part = file.with_name(f"{file.name}.part")
        os.umask(0o077)
        try:
            # Who is signed in, which workers there are, and what is kept to answer quickly, is of this installation and of today.
            there = ("django_session", "accounts_opensession", "jobs_worker", "kept_answers")
            left_out = [f"--exclude-table-data={table}" for table in there]
            run_for_database("pg_dump", "--format=custom", "--no-owner", "--no-privileges", *left_out, f"--file={part}")
            part.rename(file)
        except (NotDone, OSError) as error:
            raise CommandError(f"Nothing was backed up. {error}") from None
        finally:
            part.unlink(missing_ok=True)
        self.stdout.write(f"{file}: {file.stat().st_size / 2**20:.1f} MiB")

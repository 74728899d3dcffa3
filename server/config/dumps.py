"""PostgreSQL's own programs that write a database to a file and read it back, for the database of this installation."""

from __future__ import annotations

import os
import shutil
import subprocess
from collections.abc import Iterator
from pathlib import Path

from django.conf import settings


class NotDone(Exception):
    """A program is missing, or did not do it; nothing was left half-done."""


def run_for_database(program: str, *words: str) -> str:
    """Return what one of PostgreSQL's programs writes; it finds database and password in its environment, where no list of processes shows it.

    Raises
    ------
    NotDone
        When it is missing or ends with an error, in its own words.

    """
    found = next(_places(program), None)
    if found is None:
        raise NotDone(f"The program {program} is missing. Install Debian's package postgresql-client.")
    own = settings.DATABASES["default"]
    environment = os.environ | {
        "PGHOST": str(own["HOST"]), "PGPORT": str(own["PORT"]), "PGUSER": str(own["USER"]), "PGPASSWORD": str(own["PASSWORD"]),
        "PGDATABASE": str(own["NAME"]), "PGSSLMODE": settings.INSTALLATION.db_sslmode, "PGCONNECT_TIMEOUT": str(settings.INSTALLATION.db_connect_s),
    }  # fmt: skip
    done = subprocess.run([found, *words], env=environment, capture_output=True, text=True, check=False)
    if done.returncode:
        raise NotDone(done.stderr.strip() or f"{program} ended with {done.returncode}.")
    return done.stdout


def _places(program: str) -> Iterator[str]:
    # Newest first: an older program refuses a newer server.
    yield from (str(path) for path in sorted(Path("/usr/lib/postgresql").glob(f"*/bin/{program}"), reverse=True))
    if own := shutil.which(program):
        yield own

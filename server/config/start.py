"""What keeps an installation from starting, a sentence each: said at once, and not to the first person who meets it."""

from __future__ import annotations

from collections.abc import Iterator

from django.conf import settings
from django.db import OperationalError, connection
from django.db.migrations.executor import MigrationExecutor


def hindrances(*, web: bool) -> Iterator[str]:
    """Yield what is missing: the database, its tables as this version has them, and for the web process (``web``) the built front end."""
    own = settings.INSTALLATION
    try:
        connection.ensure_connection()
    except OperationalError as error:
        first = str(error).strip().splitlines()[0]
        yield f"The database {own.db_name} at {own.db_host}:{own.db_port} cannot be reached: {first}"
    else:
        executor = MigrationExecutor(connection)
        left = executor.migration_plan(executor.loader.graph.leaf_nodes())
        if left:
            yield f"The database lacks {len(left)} migrations of this version. Run ./rombel migrate."
        connection.close()
    if web and not (settings.WEB_DIST / "manifest.json").is_file():
        yield "The front end is not built. Run ./rombel prepare."
    if web and not any(settings.STATIC_ROOT.glob("*")):
        yield "The front end's files are not collected. Run ./rombel prepare."

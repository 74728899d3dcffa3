"""The table of answers that all web processes share, written in one statement an answer."""

from __future__ import annotations

import base64
import itertools
import pickle
from contextlib import nullcontext
from datetime import UTC, datetime
from typing import Any

from django.core.cache.backends.base import DEFAULT_TIMEOUT
from django.core.cache.backends.db import DatabaseCache
from django.db import DatabaseError, connections, router, transaction

COUNTED_EVERY = 50
"""How many answers are written between two looks at how many there are."""


class KeptAnswers(DatabaseCache):
    """Django's cache in a table, for PostgreSQL: what is written counts no rows before it, and needs no look at what stood there.

    An answer costs an insert, where the general one costs a count of the whole table, a look and an insert.
    """

    def __init__(self, table: str, params: dict[str, Any]) -> None:
        super().__init__(table, params)
        self._kept_in = table
        self._written = itertools.count()

    def set(self, key: str, value: Any, timeout: Any = DEFAULT_TIMEOUT, version: int | None = None) -> None:
        """Keep a value; as with the general one, what cannot be written is not kept, and nobody fails by it."""
        key = self.make_and_validate_key(key, version=version)
        until = self.get_backend_timeout(timeout)
        expires = datetime.max.replace(tzinfo=UTC) if until is None else datetime.fromtimestamp(until, UTC)
        text = base64.b64encode(pickle.dumps(value, self.pickle_protocol)).decode("ascii")
        database = router.db_for_write(self.cache_model_class)
        connection = connections[database]
        table = connection.ops.quote_name(self._kept_in)
        try:
            # A failure must not end what its caller is in the middle of; alone, one statement is its own transaction.
            within = transaction.atomic(using=database) if connection.in_atomic_block else nullcontext()
            with within, connection.cursor() as cursor:
                if next(self._written) % COUNTED_EVERY == 0:
                    cursor.execute(f"select count(*) from {table}")
                    count = cursor.fetchone()[0]
                    if count > self._max_entries:
                        self._cull(database, cursor, datetime.now(UTC), count)  # type: ignore[attr-defined]
                cursor.execute(
                    f"insert into {table} (cache_key, value, expires) values (%s, %s, %s)"
                    " on conflict (cache_key) do update set value = excluded.value, expires = excluded.expires",
                    [key, text, expires],
                )
        except DatabaseError:
            return

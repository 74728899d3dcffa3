"""What is worked out once under a key that says all that it depends on: for all web processes, or for this one."""

from __future__ import annotations

from collections.abc import Callable
from typing import TypeVar, cast

from django.core.cache import caches

T = TypeVar("T")


def once_for_all(key: str, make: Callable[[], T], seconds: int) -> T:
    """Return what is kept under a key; where nothing is, it is made, and kept for all web processes for so many seconds."""
    shared = caches["shared"]

    def found_or_made() -> T:
        found = shared.get(key)
        if found is None:
            found = make()
            shared.set(key, found, seconds)
        return cast("T", found)

    return once_here(key, found_or_made, seconds)


def once_here(key: str, make: Callable[[], T], seconds: int) -> T:
    """Return what this process keeps under a key; where nothing is, it is made.

    For what is made more quickly than the shared table is asked, or is hardly asked for twice.
    """
    return cast("T", caches["own"].get_or_set(key, make, seconds))

"""What is worked out once for all web processes, in the table of answers that they share."""

from __future__ import annotations

from collections.abc import Callable
from typing import TypeVar, cast

from django.core.cache import caches

T = TypeVar("T")


def once_for_all(key: str, make: Callable[[], T], seconds: int) -> T:
    """Return what is kept under a key; where nothing is, it is made, and kept for so many seconds."""
    shared = caches["shared"]
    found = shared.get(key)
    if found is None:
        found = make()
        shared.set(key, found, seconds)
    return cast("T", found)

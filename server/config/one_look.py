"""What an answer looks up once, however many of its parts ask for it, and what of that holds for the answers after it."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from dataclasses import dataclass, field
from typing import Any, TypeVar, cast

from config.shared import once_here

T = TypeVar("T")
KEPT_S = 3600


@dataclass(frozen=True, slots=True)
class _Look:
    """What was found at one version of what all studies share."""

    house: int
    found: dict[str, Any] = field(default_factory=dict)


_WITHIN: ContextVar[_Look | None] = ContextVar("look_within", default=None)


@contextmanager
def one_look(house: int) -> Iterator[None]:
    """Let what all studies share be looked up once within: an answer shows one state of it.

    Parameters
    ----------
    house
        The version of what all studies share, read before anything that is looked up within. What this process found at the same
        version for an earlier answer is found again: it is of that state or a later one, never of an earlier.

    """
    token = _WITHIN.set(_Look(house))
    try:
        yield
    finally:
        _WITHIN.reset(token)


def looked_up(name: str, look: Callable[[], T]) -> T:
    """Return what a look finds: once within ``one_look``, each time elsewhere.

    For what counts towards that version alone: house rules, providers, their price lists, and sheets of rates.
    """
    within = _WITHIN.get()
    if within is None:
        return look()
    if name not in within.found:
        within.found[name] = once_here(f"look-{within.house}-{name}", look, KEPT_S)
    return cast("T", within.found[name])

"""How inner loops are compiled."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, TypeVar

from numba import njit

F = TypeVar("F", bound=Callable[..., Any])
_WITHIN: dict[str, Any] = {"cache": True, "nogil": True, "no_cpython_wrapper": True, "no_cfunc_wrapper": True}

inner: Callable[[F], F] = njit(**_WITHIN)
"""For functions that only compiled code calls: without a way in from Python they compile in half the time."""

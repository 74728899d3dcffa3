"""A study's file: its form, which is checked before its parts are read."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import replace
from typing import Any, TypeVar

from rombel.errors import Fault, InputRefused, refuse
from rombel.formats._json import load_strict, validate

FORMAT = "rombel-study/1"
EXPORT_AGAIN = "Export the study again."

T = TypeVar("T")


def read_study_file(text: str) -> dict[str, Any]:
    """Return the JSON values of a study's file; its form is checked, its parts are checked by whoever reads them.

    Raises
    ------
    InputRefused
        With every fault: broken text, another format or version of it, keys that are not known, values of the wrong kind.

    """
    value = load_strict(text)
    stated = value.get("format") if isinstance(value, Mapping) else None
    if isinstance(stated, str) and stated.startswith("rombel-study/") and stated != FORMAT:
        raise refuse(
            "study.version",
            "format",
            f"The file is of version {stated.removeprefix('rombel-study/')[:20]}, this program reads version 1.",
            "Export it again with a program of this version, or bring this one up to date.",
        )
    validate(value, "study-1")
    return dict(value)


def faults_at(errors: Iterable[Mapping[str, Any]], path: str, code: str = "study.value") -> list[Fault]:
    """Return what values of the wrong form have wrong, with its place in the file; ``errors`` as pydantic lists them."""
    return [
        Fault(code, ".".join([path, *(str(part) for part in entry["loc"])]), f"{entry['msg']}.", EXPORT_AGAIN)
        for entry in errors
    ]


def within(path: str, read: Callable[..., T], *given: Any) -> T:
    """Return what a part of a file states; its faults are told with their place in the whole."""
    try:
        return read(*given)
    except InputRefused as refused:
        faults = [replace(fault, path=f"{path}.{fault.path}".rstrip(".")) for fault in refused.faults]
        raise InputRefused(faults) from None

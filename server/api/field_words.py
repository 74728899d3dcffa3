"""What every field and parameter of the contract means; the words stand in ``field_words.toml``, one table by name."""

from __future__ import annotations

import tomllib
from collections.abc import Mapping
from pathlib import Path

_TOLD = tomllib.loads(Path(__file__).with_suffix(".toml").read_text("utf-8"))


def _words(table: str) -> Mapping[str, str]:
    return {name: words.format(money=_TOLD["money"]) for name, words in _TOLD[table].items()}


FIELDS, APART, PARAMETERS = _words("fields"), _words("apart"), _words("parameters")


def field_words(schema: str, name: str) -> str | None:
    """Return what a field of a schema means; None: nothing is said of it."""
    return APART.get(f"{schema}.{name}") or FIELDS.get(name)


def parameter_words(name: str) -> str | None:
    """Return what a parameter means; None: nothing is said of it."""
    return PARAMETERS.get(name) or FIELDS.get(name)

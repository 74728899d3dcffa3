"""What is to stand, as neutral JSON (``rombel-build/1``) that belongs to no provider's tools."""

from __future__ import annotations

import json
from collections.abc import Mapping
from typing import Any

from rombel.formats._json import load_strict, validate

FORMAT = "rombel-build/1"


def write_build(value: Mapping[str, Any]) -> str:
    """Return a build as JSON text; its form is checked, so that nobody is handed what no reader takes.

    Raises
    ------
    InputRefused
        When it is not of the published form.

    """
    whole = {"format": FORMAT, **value}
    validate(whole, "build-1")
    return json.dumps(whole, indent=1, ensure_ascii=False) + "\n"


def read_build(text: str) -> dict[str, Any]:
    """Return the values of a build; refused with every fault of its form."""
    value = load_strict(text)
    validate(value, "build-1")
    return dict(value)

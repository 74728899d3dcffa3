"""What an answer is made of."""

from __future__ import annotations

from typing import Any

from ninja import Schema
from pydantic import ModelWrapValidatorHandler, ValidationInfo, model_validator


class Answer(Schema):
    """Part of an answer, made of plain values or of attributes.

    The framework's own base looks up every field of every part through an object in Python, for the sake of fields that are computed
    while the answer is checked. A part with such fields (``resolve_...``) is a ``Schema``; all others are checked without, in a sixth
    of the time.
    """

    @model_validator(mode="wrap")
    @classmethod
    def _run_root_validator(cls, values: Any, handler: ModelWrapValidatorHandler[Any], info: ValidationInfo) -> Any:
        """Check the values as they are, in place of the base's method of this name."""
        return handler(values)

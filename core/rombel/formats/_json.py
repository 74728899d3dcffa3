"""JSON text to plain values: strict, with places, against a schema."""

from __future__ import annotations

import json
from collections.abc import Callable
from dataclasses import fields
from functools import cache
from importlib import resources
from typing import Any

import jsonschema_rs
from jsonschema import Draft202012Validator, ValidationError

from rombel.errors import Fault, InputRefused, refuse

_MENDS = {
    "additionalProperties": "Remove the unknown key, or correct its spelling.",
    "required": "Add the missing key.",
    "enum": "Use one of the listed values.",
    "const": "State the format this program reads.",
    "type": "Use the type the schema asks for.",
    "minimum": "Use a number that is not below the least allowed.",
    "maximum": "Use a smaller number.",
    "uniqueItems": "Name each only once.",
}


@cache
def validator(name: str) -> Draft202012Validator:
    """Return the validator of a schema shipped with the package, by its file name without suffix."""
    return Draft202012Validator(json.loads(schema_text(name)))


@cache
def _quick(name: str) -> jsonschema_rs.Draft202012Validator:
    return jsonschema_rs.Draft202012Validator(json.loads(schema_text(name)))


def passes(value: Any, schema: str) -> bool:
    """Return whether a value certainly meets a schema; False where ``validate`` has to look, too."""
    try:
        return _quick(schema).is_valid(value)
    except ValueError:  # Keys that are no text of Unicode; the other validator says what is wrong, if anything.
        return False


def schema_text(name: str) -> str:
    """Return the published text of a schema, by its file name without suffix."""
    return resources.files("rombel.formats").joinpath("schemas", f"{name}.json").read_text("utf-8")


def load_strict(text: str, path: str = "") -> Any:
    """Return the parsed JSON text, with a byte order mark or without; repeated keys and non-finite numbers are refused.

    Raises
    ------
    InputRefused
        With line and column for broken text.

    """

    def pairs(items: list[tuple[str, Any]]) -> dict[str, Any]:
        result = dict(items)
        if len(result) < len(items):
            seen: set[str] = set()
            twice = next(key for key, _ in items if key in seen or seen.add(key))  # type: ignore[func-returns-value]
            raise refuse("json.twice", path, f"The key '{twice}' stands twice in one object.", "Keep one of them.")
        return result

    def constant(name: str) -> Any:
        raise refuse("json.number", path, f"{name} is not a JSON number.", "Write a finite number.")

    try:
        return json.loads(text.removeprefix("\ufeff"), object_pairs_hook=pairs, parse_constant=constant)
    except json.JSONDecodeError as error:
        fault = Fault(
            "json.text", path, f"This is not JSON: {error.msg}.", "Correct the text there.", error.lineno, error.colno
        )
        raise InputRefused([fault]) from error
    except ValueError:  # Python reads no whole number of more than 4,300 digits.
        raise refuse("json.number", path, "A number has thousands of digits.", "Write a smaller one.") from None
    except RecursionError:
        raise refuse("json.deep", path, "The JSON text is nested too deeply.", "Flatten it.") from None


def validate(value: Any, schema: str, most: int = 50) -> None:
    """Return nothing when the value meets the schema; else refuse it with every fault (the first ``most``)."""
    # The compiled validator takes 0.8 ms for a problem of 500 workloads where the other takes 390, and says no place.
    if passes(value, schema):
        return
    faults = [_fault(error) for error, _ in zip(validator(schema).iter_errors(value), range(most), strict=False)]
    if faults:
        raise InputRefused(sorted(faults, key=lambda fault: fault.path))


def stated_fields(value: Any, default: Any, plain: Callable[[Any, Any], Any]) -> dict[str, Any]:
    """Return the fields of a dataclass's value that differ from those of a default; ``plain`` makes a JSON value of one and its default."""
    pairs = ((name, getattr(value, name), getattr(default, name)) for name in (entry.name for entry in fields(value)))
    return {name: plain(own, usual) for name, own, usual in pairs if own != usual}


def _fault(error: ValidationError) -> Fault:
    path = error.json_path.removeprefix("$").removeprefix(".") or "(whole file)"
    kind = str(error.validator)
    reason = error.message if len(error.message) < 300 else error.message[:297] + "..."
    return Fault(f"schema.{kind}", path, f"{reason}.", _MENDS.get(kind, "Compare with the published schema."))

"""Bodies read strictly, in one place: JSON that is JSON, printable text, numbers that the database holds; answers likewise."""

from __future__ import annotations

import json
import math
from collections.abc import Iterator
from itertools import islice
from typing import Any

from django.http import HttpRequest
from ninja import Schema as NinjaSchema
from ninja.parser import Parser
from ninja.renderers import BaseRenderer
from ninja.responses import NinjaJSONEncoder
from pydantic import ConfigDict

from rombel.errors import Fault, InputRefused
from rombel.model.bounds import LARGEST_WHOLE, unprintable

MOST_DEPTH = 40
MOST_FAULTS = 200
"""Faults told of one request: whoever has so many fixes the first and sends it again."""


class Body(NinjaSchema):
    """What somebody sends: fields that are not known are refused, and so are values of another type."""

    model_config = ConfigDict(extra="forbid", strict=True)


class Faulty(ValueError):
    """A text that is no JSON, and why."""


class StrictParser(Parser):
    """Hands out bodies that were read at the gate."""

    def parse_body(self, request: HttpRequest) -> Any:
        """Return the value of a body."""
        return body_of(request)


def body_of(request: HttpRequest) -> Any:
    """Return the object that a request's body is, as ``read_body`` does; it is read once, however often it is asked for."""
    kept = vars(request)  # Django's request has no field for it.
    if "rombel_body" not in kept:
        kept["rombel_body"] = read_body(request.body)
    return kept["rombel_body"]


def read_body(content: bytes) -> Any:
    """Return the object that a body is, an empty one for an empty body.

    Raises
    ------
    InputRefused
        With the place of everything in it that no field of any operation could take.

    """
    value = read_json(content) if content else {}
    if not isinstance(value, dict):
        raise InputRefused([Fault("request.shape", "", "The body is no JSON object.", "Send an object of fields.")])
    faults = list(islice(value_faults(value, "", 0), MOST_FAULTS))
    if faults:
        raise InputRefused(faults)
    return value


def read_json(content: bytes) -> Any:
    """Return the value of a JSON text in UTF-8, with a byte order mark or without.

    Raises
    ------
    InputRefused
        When it is none.

    """
    try:
        return json.loads(content.decode("utf-8-sig"), parse_constant=_no_number, object_pairs_hook=_once)
    except UnicodeDecodeError as error:
        raise _refused(f"Byte {error.start} is not UTF-8.", "Send UTF-8.") from error
    except json.JSONDecodeError as error:
        fault = Fault("request.json", "", f"This is no JSON: {error.msg}.", "Send JSON.", error.lineno, error.colno)
        raise InputRefused([fault]) from error
    except (Faulty, RecursionError, ValueError) as error:
        raise _refused(f"This is no JSON: {str(error)[:120] or 'it is too deep'}.", "Send JSON (RFC 8259).") from error


def _refused(reason: str, fix: str) -> InputRefused:
    return InputRefused([Fault("request.json", "", reason, fix)])


def _no_number(text: str) -> Any:
    raise Faulty(f"{text} is no number")


# Python would keep the last of two equal keys and say nothing.
def _once(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    """Return the object; a key that stands twice would silently lose one value."""
    found = dict(pairs)
    if len(found) < len(pairs):
        names = [name for name, _ in pairs]
        twice = next(name for name in names if names.count(name) > 1)
        raise Faulty(f"'{twice[:40]}' stands twice in one object")
    return found


def value_faults(value: Any, path: str, depth: int) -> Iterator[Fault]:
    """Yield what is wrong with a value and all within it: control characters, numbers too large, too many levels."""
    if depth > MOST_DEPTH:
        yield Fault("request.deep", path, f"It is nested more than {MOST_DEPTH} deep.", "Send it flatter.")
    elif isinstance(value, dict):
        for name, entry in value.items():
            where = f"{path}.{name[:60]}" if path else name[:60]
            if (character := unprintable(name)) is not None:
                yield _text_fault(path, character)
            yield from value_faults(entry, where, depth + 1)
    elif isinstance(value, list):
        for place, entry in enumerate(value):
            yield from value_faults(entry, f"{path}[{place}]", depth + 1)
    elif isinstance(value, str):
        if (character := unprintable(value)) is not None:
            yield _text_fault(path, character)
    elif isinstance(value, (int, float)) and not isinstance(value, bool) and not abs(value) <= LARGEST_WHOLE:
        fix = f"Write a number of at most {LARGEST_WHOLE}."
        yield Fault("request.number", path, "The number is too large.", fix)


def _text_fault(path: str, character: str) -> Fault:
    reason = f"The text has the control character U+{ord(character):04X}."
    return Fault(
        "request.text", path, reason, "Leave it out: text is made of printable characters, tabs and line ends."
    )


class StrictRenderer(BaseRenderer):
    """Writes answers as JSON that every reader takes: what is no number is null."""

    media_type = "application/json"

    def render(self, request: HttpRequest, data: Any, *, response_status: int) -> Any:
        """Return the text of an answer."""
        # Nearly every answer is finite; only one that is not is walked through.
        try:
            return json.dumps(data, allow_nan=False, cls=NinjaJSONEncoder)
        except ValueError:
            return json.dumps(_finite(data), allow_nan=False, cls=NinjaJSONEncoder)


def _finite(value: Any) -> Any:
    if isinstance(value, float):
        return value if math.isfinite(value) else None
    if isinstance(value, dict):
        return {name: _finite(entry) for name, entry in value.items()}
    return [_finite(entry) for entry in value] if isinstance(value, (list, tuple)) else value

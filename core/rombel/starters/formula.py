"""Formulas of a few named inputs, computed exactly.

Numbers are fractions throughout: in floating point ``ceil(0.1 * 30)`` is 4, and a replica too many would be planned for nothing.
"""

from __future__ import annotations

import ast
from collections.abc import Callable, Collection, Mapping
from dataclasses import dataclass
from fractions import Fraction
from math import ceil, floor

from rombel.errors import InputRefused, refuse
from rombel.model.quantity import parse_decimal

LONGEST = 200
MOST_PARTS = 60
MOST_DIGITS = 18
"""Digits of a result before its point, at most: no amount that is planned with has more."""
_HOW = "Use numbers, inputs, + - * / ( ) and ceil, floor, min, max."
_FUNCTIONS: Mapping[str, Callable[..., Fraction]] = {
    "ceil": lambda value: Fraction(ceil(value)),
    "floor": lambda value: Fraction(floor(value)),
    "min": min,
    "max": max,
}
_OPERATORS: Mapping[type, Callable[[Fraction, Fraction], Fraction]] = {
    ast.Add: lambda one, other: one + other,
    ast.Sub: lambda one, other: one - other,
    ast.Mult: lambda one, other: one * other,
    ast.Div: lambda one, other: one / other,
}
"""No powers: the length of a text then bounds the size of what it makes."""


@dataclass(frozen=True, slots=True)
class Formula:
    """A formula as it was typed; ``Formula.read`` makes one that is known to be well formed."""

    text: str
    root: ast.expr

    @classmethod
    def read(cls, text: str, names: Collection[str], path: str) -> Formula:
        """Return the formula of a text.

        Parameters
        ----------
        text
            As typed.
        names
            Inputs that it may name.
        path
            Where it stands, for what is said of it.

        Raises
        ------
        InputRefused
            When it is too long, no formula, or names what is no input.

        """
        if not text.strip() or len(text) > LONGEST:
            raise refuse("starter.formula", path, f"A formula has 1 to {LONGEST} characters.", _HOW)
        try:
            # Python's own reader takes far more than a formula: what may stand in one is looked at part by part below.
            root = ast.parse(text.strip(), mode="eval").body
        except (SyntaxError, ValueError, RecursionError, MemoryError):
            raise refuse("starter.formula", path, f"'{text[:80]}' is no formula.", _HOW) from None
        if sum(1 for _ in ast.walk(root)) > MOST_PARTS:
            raise refuse("starter.formula", path, "The formula has too many parts.", "Write a shorter one.")
        _look_at(root, text, frozenset(names), path)
        return cls(text.strip(), root)

    def value(self, inputs: Mapping[str, Fraction], path: str) -> Fraction:
        """Return the value for some inputs, exactly.

        Raises
        ------
        InputRefused
            When it divides by nothing, or makes a number that is too long.

        """
        try:
            found = _value(self.root, inputs, self.text)
        except ZeroDivisionError:
            raise refuse(
                "starter.division", path, f"'{self.text}' divides by zero.", "Type another value, or fix the formula."
            ) from None
        if abs(found) >= 10**MOST_DIGITS:
            raise refuse("starter.large", path, f"'{self.text}' makes a number that is too large.", "Type less.")
        return found


def _look_at(node: ast.AST, text: str, names: frozenset[str], path: str) -> None:
    """Go on only where a part and all below it are what formulas are made of."""
    match node:
        case ast.BinOp(left, operator, right) if type(operator) in _OPERATORS:
            below: list[ast.expr] = [left, right]
        case ast.UnaryOp(ast.USub(), operand):
            below = [operand]
        case ast.Call(ast.Name(name), [_, *_] as given, []) if name in _FUNCTIONS:
            if name in ("ceil", "floor") and len(given) != 1:
                raise refuse("starter.formula", path, f"{name} takes one value.", _HOW)
            below = given
        # A truth value is a whole number to Python, and none here.
        case ast.Constant(value) if type(value) in (int, float):
            _number(node, text, path)
            below = []
        case ast.Name(name) if name in names:
            below = []
        case ast.Name(name):
            known = ", ".join(sorted(names))
            raise refuse("starter.name", path, f"'{name[:40]}' is no input.", f"Use {known}.")
        case _:
            raise refuse("starter.formula", path, f"'{text[:80]}' is no formula.", _HOW)
    for each in below:
        _look_at(each, text, names, path)


def _number(node: ast.Constant, text: str, path: str) -> Fraction:
    """Return a number as it was typed: as a float it would no longer be the one that stands there."""
    typed = ast.get_source_segment(text.strip(), node) or ""
    try:
        return Fraction(parse_decimal(typed, path))
    except InputRefused:
        raise refuse("starter.number", path, f"'{typed[:40]}' is no number.", "Write it as 12 or 0.5.") from None


def _value(node: ast.expr, inputs: Mapping[str, Fraction], text: str) -> Fraction:
    match node:
        case ast.BinOp(left, operator, right):
            return _OPERATORS[type(operator)](_value(left, inputs, text), _value(right, inputs, text))
        case ast.UnaryOp(_, operand):
            return -_value(operand, inputs, text)
        case ast.Call(ast.Name(name), given, _):
            return _FUNCTIONS[name](*(_value(each, inputs, text) for each in given))
        case ast.Name(name):
            return inputs[name]
        case ast.Constant():
            return _number(node, text, "")
    raise AssertionError(f"not looked at: {ast.dump(node)}")

"""A starter filled in: the study that its shape and some answers make."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal
from fractions import Fraction
from math import ceil
from typing import Any

from rombel.errors import Fault, InputRefused, gathered, refuse
from rombel.model.demand import Basis
from rombel.model.quantity import parse_decimal
from rombel.starters.shape import COUNTED, LOAD, SIZE, Input, Row, Shape, full_name

_AMOUNTS = {"replicas": "replicas", "cpu": "vCPUs", "memory": "GiB", LOAD: "of load"}
_MOST = {"replicas": 100_000, "cpu": 1000, "memory": 2**14, LOAD: 10**9}
"""What asks for more is a slip of a formula: a hundred thousand replicas, a thousand vCPUs or 16 TiB for each, a milliard of load."""


@dataclass(frozen=True, slots=True)
class Answers:
    """What was filled in.

    Parameters
    ----------
    size
        Name of one of the shape's sizes.
    inputs
        Numbers as typed, by the name of the input; what is left out has its usual value.
    survive_zone
        How the loss of any one zone is survived; empty: as in the shape.
    targets
        Availability in percent by journey, as typed; what is left out is as in the shape.

    """

    size: str
    inputs: Mapping[str, str]
    survive_zone: str
    targets: Mapping[str, str]


@dataclass(frozen=True, slots=True)
class Filled:
    """The study that a shape and answers make: rows, what it states beside them, and the choices of its variant."""

    rows: tuple[Row, ...]
    study: Mapping[str, Any]
    choices: Mapping[str, Any]


def fill(shape: Shape, answers: Answers) -> Filled:
    """Return the study that a shape makes of answers; amounts are rounded up to whole replicas, millicores and bytes.

    Raises
    ------
    InputRefused
        With every fault: an unknown size or input, a value outside its range, an amount of nothing or far too much.

    """
    faults = list[Fault]()
    values: dict[str, Fraction] = {}
    with gathered(faults):
        values[SIZE] = Fraction(_factor(shape, answers.size))
    for each in shape.inputs:
        with gathered(faults):
            values[each.name] = Fraction(_value(each, answers.inputs.get(each.name, "")))
    known = {each.name for each in shape.inputs}
    journeys = [journey["name"] for journey in shape.study.get("journeys", ())]
    faults += [_unknown(name, "inputs", known) for name in answers.inputs if name not in known]
    faults += [_unknown(name, "targets", journeys) for name in answers.targets if name not in journeys]
    if faults:
        raise InputRefused(faults)
    amounts: dict[str, dict[str, Fraction]] = {}
    for row, amount, formula in shape.read_formulas():
        with gathered(faults):
            path = f"formulas.{row}.{amount}"
            amounts.setdefault(row, {})[amount] = _amount(formula.value(values, path), amount, path)
    if faults:
        raise InputRefused(faults)
    return Filled(
        tuple(_row(row, amounts.get(full_name(row), {})) for row in shape.rows),
        {**shape.study, "journeys": _journeys(shape.study.get("journeys", ()), answers.targets)},
        {**shape.choices, **({"survive_zone": answers.survive_zone} if answers.survive_zone else {})},
    )


def _factor(shape: Shape, size: str) -> Decimal:
    if size not in shape.sizes:
        raise refuse("starter.size", "size", f"There is no size '{size[:40]}'.", f"Use {', '.join(shape.sizes)}.")
    return shape.sizes[size]


def _value(asked: Input, typed: str) -> Decimal:
    if not typed.strip():
        return asked.value
    value = parse_decimal(typed, f"inputs.{asked.name}")
    if not asked.least <= value <= asked.most:
        reason = f"{asked.label} goes from {asked.least} to {asked.most} {asked.unit}".rstrip()
        raise refuse(
            "starter.range", f"inputs.{asked.name}", f"{reason}, and {value} was typed.", "Type another value."
        )
    return value


def _unknown(name: str, part: str, known: Sequence[str] | set[str]) -> Fault:
    fix = f"Use {', '.join(sorted(known))}." if known else "Leave it out."
    return Fault("starter.unknown", f"{part}.{name[:80]}", f"The starter asks for no '{name[:80]}'.", fix)


def _amount(value: Fraction, amount: str, path: str) -> Fraction:
    """Return an amount that can be planned with."""
    if not 0 < value <= _MOST[amount]:
        shown = f"{float(value):.6g}"
        reason = (
            f"The formula makes {shown} {_AMOUNTS[amount]}; more than none, up to {_MOST[amount]}, can be planned with."
        )
        raise refuse("starter.amount", path, reason, "Type another value, or let a lead fix the formula.")
    return value


def _row(row: Row, amounts: Mapping[str, Fraction]) -> Row:
    """Return a row with its amounts, rounded up to whole units of their columns: what is asked is never less than a formula says."""
    made = {column: ceil(amounts[name] * units) for name, (column, units) in COUNTED.items() if name in amounts}
    sizing = row.get("sizing", {})
    if LOAD in amounts:
        share = amounts[LOAD] / Fraction(repr(float(sizing["peak"])))
        loads = {name: float(Fraction(repr(float(sizing[name]))) * share) for name in ("trough", "usual", "peak")}
        sizing = {**sizing, **loads}
    if "replicas" in made and sizing.get("basis") == Basis.RANGE:
        # The fewest and the most go along with the usual number.
        share = Fraction(made["replicas"], row["replicas"])
        sizing = {**sizing, **{name: ceil(sizing[name] * share) for name in ("least", "most")}}
    return {**row, **made, **({"sizing": sizing} if sizing else {})}


def _journeys(stated: Sequence[Mapping[str, Any]], targets: Mapping[str, str]) -> list[dict[str, Any]]:
    return [{**each, **({"target": targets[each["name"]]} if targets.get(each["name"]) else {})} for each in stated]

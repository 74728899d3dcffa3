"""The shape of a study: what stands in it, and which amounts are formulas of a few inputs."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal
from typing import Any

from rombel.errors import Fault, InputRefused, gathered, refuse
from rombel.model.demand import Basis
from rombel.model.quantity import parse_decimal
from rombel.starters.formula import Formula

FORMAT = "rombel-starter/1"
SIZE = "size"
"""The input that every starter has: the factor of the size that was chosen."""
COUNTED: Mapping[str, tuple[str, int]] = {
    "replicas": ("replicas", 1),
    "cpu": ("cpu_millicores", 1000),
    "memory": ("memory_bytes", 2**30),
}
"""Amounts of a workload that may be formulas, each with its column and how many of the column's units one is: replicas, vCPUs, GiB."""
LOAD = "load"
"""The load at peak of a workload whose replicas follow it, in the unit that the workload has; its other loads keep their share of it."""
AMOUNTS = (*COUNTED, LOAD)
_LOADED = frozenset({Basis.RATE, Basis.QUEUE, Basis.USAGE})
MOST_INPUTS = 12
MOST_SIZES = 6
_NAME = re.compile(r"[a-z][a-z0-9_]{0,29}", re.ASCII)
_RESERVED = frozenset({SIZE, "ceil", "floor", "min", "max"})
Row = Mapping[str, Any]
"""A row of the demand sheet, by the names that a study's file has for its columns."""


@dataclass(frozen=True, slots=True)
class Input:
    """A blank that takes a number: how formulas call it, how people do, its unit, and from where to where it goes."""

    name: str
    label: str
    unit: str
    value: Decimal
    least: Decimal
    most: Decimal


@dataclass(frozen=True, slots=True)
class Shape:
    """The shape of a study.

    Parameters
    ----------
    inputs
        Blanks beside name, region, zones, size and promises, which every starter has.
    sizes
        Factors by name, in their order; formulas call the one that is chosen ``size``.
    rows
        Rows of the demand sheet, with the amounts that they had when the shape was taken.
    formulas
        By the full name of a row and the name of an amount (see ``AMOUNTS``); an amount without one stays.
    study, choices
        What the study states beside its demand, and the choices of its variant, as in a study's file.
    region
        Name of the region that the shape was made in, which is proposed first.

    """

    inputs: tuple[Input, ...]
    sizes: Mapping[str, Decimal]
    rows: tuple[Row, ...]
    formulas: Mapping[str, Mapping[str, str]]
    study: Mapping[str, Any]
    choices: Mapping[str, Any]
    region: str

    def read_formulas(self) -> Iterator[tuple[str, str, Formula]]:
        """Yield the full name of each row, the amount, and its formula.

        Raises
        ------
        InputRefused
            At the first that is none.

        """
        names = {SIZE, *(each.name for each in self.inputs)}
        for row, own in self.formulas.items():
            for amount, text in own.items():
                yield row, amount, Formula.read(text, names, f"formulas.{row}.{amount}")


def full_name(row: Row) -> str:
    """Return the full name of a row."""
    return f"{row['namespace']}/{row['name']}"


def plain_formulas(rows: Sequence[Row]) -> dict[str, dict[str, str]]:
    """Return what a new shape starts with: as many replicas as there are, or as much load where they follow it, times the size."""
    return {full_name(row): _plain(row) for row in rows}


def follows_load(row: Row) -> bool:
    """Return whether a row's replicas follow from its load, so that the number that stands there plans nothing."""
    return row.get("sizing", {}).get("basis") in _LOADED


def _plain(row: Row) -> dict[str, str]:
    if not follows_load(row):
        return {"replicas": f"ceil({row['replicas']} * {SIZE})"}
    # A load is a float in the sheet; its shortest text is what was typed.
    return {LOAD: f"{Decimal(repr(float(row['sizing']['peak']))):f} * {SIZE}"}


def shape_value(shape: Shape) -> dict[str, Any]:
    """Return a shape as plain values."""
    return {
        "format": FORMAT,
        "inputs": [
            {
                **{name: getattr(each, name) for name in ("name", "label", "unit")},
                **{name: format(getattr(each, name), "f") for name in ("value", "least", "most")},
            }
            for each in shape.inputs
        ],
        "sizes": [{"name": name, "factor": format(factor, "f")} for name, factor in shape.sizes.items()],
        "rows": [dict(row) for row in shape.rows],
        "formulas": {row: dict(own) for row, own in shape.formulas.items()},
        "study": dict(shape.study),
        "choices": dict(shape.choices),
        "region": shape.region,
    }


def read_shape(value: Mapping[str, Any]) -> Shape:
    """Return the shape of plain values.

    Raises
    ------
    InputRefused
        With every fault of inputs, sizes and formulas.

    """
    if value.get("format") != FORMAT:
        raise refuse(
            "starter.format", "format", "This is no starter of version 1.", "Save the study as a starter anew."
        )
    faults = list[Fault]()
    inputs, sizes = list[Input](), dict[str, Decimal]()
    for place, stated in enumerate(value["inputs"]):
        with gathered(faults):
            inputs.append(_input(stated, f"inputs.{place}", {each.name for each in inputs}))
    for place, stated in enumerate(value["sizes"]):
        with gathered(faults):
            name, factor = stated["name"].strip(), parse_decimal(stated["factor"], f"sizes.{place}.factor")
            if not name or name in sizes or not 0 < factor <= 1000:
                reason = "A size has a name of its own and a factor above 0, up to 1000."
                raise refuse("starter.size", f"sizes.{place}", reason, "Write 0.5 for half as much.")
            sizes[name] = factor
    if len(inputs) > MOST_INPUTS:
        faults.append(_too_many("inputs", MOST_INPUTS))
    if not 1 <= len(value["sizes"]) <= MOST_SIZES:
        faults.append(_too_many("sizes", MOST_SIZES))
    shape = Shape(
        tuple(inputs),
        sizes,
        tuple(value["rows"]),
        {row: {name: text for name, text in own.items() if text.strip()} for row, own in value["formulas"].items()},
        value["study"],
        value["choices"],
        value["region"],
    )
    faults += _formula_faults(shape)
    if faults:
        raise InputRefused(faults)
    return shape


def _too_many(part: str, most: int) -> Fault:
    return Fault(f"starter.{part}", part, f"There are too many, or none: 1 to {most} may be stated.", "Leave some out.")


def _input(stated: Mapping[str, Any], path: str, known: set[str]) -> Input:
    name = stated["name"].strip()
    if not _NAME.fullmatch(name) or name in known | _RESERVED:
        fix = "Write small letters, digits and _, beginning with a letter; each once."
        raise refuse("starter.input", f"{path}.name", f"'{name[:40]}' is no name of an input.", fix)
    least, value, most = (parse_decimal(stated[part], f"{path}.{part}") for part in ("least", "value", "most"))
    if not least <= value <= most:
        fix = "Put the value between the least and the most."
        raise refuse("starter.range", f"{path}.value", f"{value} is not from {least} to {most}.", fix)
    return Input(name, stated["label"].strip() or name, stated["unit"].strip(), value, least, most)


def _formula_faults(shape: Shape) -> list[Fault]:
    faults = list[Fault]()
    names = {SIZE, *(each.name for each in shape.inputs)}
    rows = {full_name(row): row for row in shape.rows}
    for name, own in shape.formulas.items():
        if name not in rows:
            faults.append(
                Fault("starter.row", f"formulas.{name}", f"There is no workload '{name[:80]}'.", "Leave it out.")
            )
            continue
        for amount, text in own.items():
            path = f"formulas.{name}.{amount}"
            # What its containers request is the sum that the sheet shows; a formula of the sum would leave them behind.
            if amount in ("replicas", LOAD) and (amount == LOAD) is not follows_load(rows[name]):
                if follows_load(rows[name]):
                    reason, fix = f"The replicas of {name} follow its load.", "Write a formula of the load instead."
                else:
                    reason, fix = f"No replica of {name} follows a load.", "Write a formula of the replicas instead."
                faults.append(Fault("starter.load", path, reason, fix))
            if amount in ("cpu", "memory") and rows[name].get("pod", {}).get("containers"):
                reason = f"The containers of {name} state what it requests."
                faults.append(Fault("starter.containers", path, reason, "Leave the formula out."))
            with gathered(faults):
                Formula.read(text, names, path)
    return faults

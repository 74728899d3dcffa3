"""Starters: the shape of a study with blanks, filled in with a few inputs."""

from rombel.starters.differing import differences
from rombel.starters.filling import Answers, Filled, fill
from rombel.starters.formula import MOST_DIGITS, Formula
from rombel.starters.shape import (
    AMOUNTS,
    COUNTED,
    FORMAT,
    LOAD,
    SIZE,
    Input,
    Shape,
    follows_load,
    plain_formulas,
    read_shape,
    shape_value,
)

__all__ = [
    "AMOUNTS",
    "COUNTED",
    "FORMAT",
    "LOAD",
    "MOST_DIGITS",
    "SIZE",
    "Answers",
    "Filled",
    "Formula",
    "Input",
    "Shape",
    "differences",
    "fill",
    "follows_load",
    "plain_formulas",
    "read_shape",
    "shape_value",
]

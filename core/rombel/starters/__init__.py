"""Starters: the shape of a study with blanks, filled in with a few inputs."""

from rombel.starters.differing import differences
from rombel.starters.filling import Answers, Filled, fill
from rombel.starters.formula import MOST_DIGITS, Formula
from rombel.starters.shape import COUNTED, FORMAT, SIZE, Input, Shape, plain_formulas, read_shape, shape_value

__all__ = [
    "COUNTED",
    "FORMAT",
    "MOST_DIGITS",
    "SIZE",
    "Answers",
    "Filled",
    "Formula",
    "Input",
    "Shape",
    "differences",
    "fill",
    "plain_formulas",
    "read_shape",
    "shape_value",
]

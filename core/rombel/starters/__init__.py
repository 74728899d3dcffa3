"""Starters: the shape of a study with blanks, filled in with a few inputs."""

from rombel.starters.differing import differences
from rombel.starters.filling import Answers, Filled, fill
from rombel.starters.formula import Formula
from rombel.starters.shape import (
    AMOUNTS,
    FORMAT,
    Input,
    Shape,
    follows_load,
    full_name,
    plain_formulas,
    read_shape,
    shape_value,
)

__all__ = [
    "AMOUNTS",
    "FORMAT",
    "Answers",
    "Filled",
    "Formula",
    "Input",
    "Shape",
    "differences",
    "fill",
    "follows_load",
    "full_name",
    "plain_formulas",
    "read_shape",
    "shape_value",
]

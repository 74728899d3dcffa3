"""Two plans beside each other: what was asked otherwise, what came out otherwise, and both in words."""

from rombel.comparison.inputs import WAYS, InputChange, input_changes
from rombel.comparison.plans import Side, ZoneChange, asked_otherwise, best, told, zone_changes

__all__ = [
    "WAYS",
    "InputChange",
    "Side",
    "ZoneChange",
    "asked_otherwise",
    "best",
    "input_changes",
    "told",
    "zone_changes",
]

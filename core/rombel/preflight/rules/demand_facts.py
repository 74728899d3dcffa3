"""What the demand sheet needs a look at, by what it is."""

from __future__ import annotations

from rombel.model.row_facts import facts_of
from rombel.preflight.rule import Found, Grade, When, rule, some
from rombel.preflight.situation import Situation

_WORDS = {
    "odd request": ("requests that hardly are meant, such as memory without its unit", "Check the units."),
    "unserved": ("more replicas are wanted than are allowed", "Raise the most replicas, or the scale ceiling."),
    "copies": ("data with a single copy", "Keep two copies or more, or say that it may be lost."),
    "volumes too small": ("volumes too small for the data", "Make the volumes larger, or run more replicas."),
    "scale ceiling": ("at the scale ceiling, more replicas cannot be used", "Make more partitions before load grows."),
}


@rule("demand.facts", When.RUNNING, "demand")
def facts(at: Situation) -> Found:
    """Care: what follows from a row and needs a look."""
    found: dict[str, list[str]] = {}
    for row in at.rows:
        for fact in facts_of(row, at.rows, at.growth_percent, at.survive):
            if fact.care and fact.label in _WORDS:
                found.setdefault(fact.label, []).append(row.full_name)
    for label, names in found.items():
        words, fix = _WORDS[label]
        yield Grade.CARE, f"{words}: {some(names)}", fix

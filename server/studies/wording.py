"""What fields of a study, its variants and rows are called, and their values as text."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any

from catalogue.models import Region
from rombel.comparison import WAYS
from rombel.model.fit_problem import Survival

NOTHING = "none"
MOST_TEXT = 160
"""Characters of a value that are shown; all of them are compared."""

_WORDS = {
    "region_id": "region",
    "survive_zone": "loss of a zone is survived",
    "lost_nodes": "nodes that may be lost at once",
    "survive_nodes": "loss of nodes is survived",
    "most_pools": "most pools",
    "fewest_nodes_per_pool": "fewest nodes of a pool",
    "fewest_nodes_per_zone": "fewest nodes of a pool in a zone",
    "equal_zones": "as many nodes in every zone",
    "headroom": "kept free on every node, percent",
    "headroom_replicas": "room for more replicas",
    "most_pods_per_node": "most pods on a node",
    "purchases": "kinds of purchase",
    "family_rules": "rules of families",
    "control_plane_members": "members of the control plane",
    "tier": "tier of the control plane",
    "budget_per_month": "ceiling of cost",
    "level": "level that is fitted",
    "sizes": "sizes",
    "beyond": "other regions",
    "beside": "beside the nodes",
}
"""What fields are called; the others by their name."""


_SURVIVED = ("survive_zone", "survive_nodes")
"""Fields that say how a loss is survived."""


def field_name(field: str) -> str:
    """Return what a field is called."""
    return _WORDS.get(field, field.removesuffix("_id").replace("_", " "))


def region_words(region: Region) -> str:
    """Return a region with the day of its prices."""
    return f"{region.name}, prices of {region.edition.dated}"


def parts_of(field: str, value: Any) -> dict[str, str]:
    """Return the value of a field as text by part; one without parts has one without a name."""
    if field in _SURVIVED and value:
        return {"": WAYS[Survival(value)]}
    if isinstance(value, dict):
        return {part: text_of(own) for part, own in value.items()}
    return {"": text_of(value)}


def shown_parts(own: Mapping[str, str], parts: Iterable[str]) -> str:
    """Return some parts of a value as one text of bounded length."""
    told = [f"{part.replace('_', ' ')} {own[part]}".strip() for part in parts if own.get(part, NOTHING) != NOTHING]
    text = "; ".join(told) or NOTHING
    return text if len(text) <= MOST_TEXT else f"{text[:MOST_TEXT]}…"


def text_of(value: Any) -> str:
    """Return a value as text, whatever it is made of."""
    if isinstance(value, dict):
        return ", ".join(f"{name} {text_of(own)}" for name, own in sorted(value.items()))
    if isinstance(value, list):
        return ", ".join(text_of(own) for own in value) or NOTHING
    if value in (None, "", False):
        return NOTHING
    return "yes" if value is True else str(value)

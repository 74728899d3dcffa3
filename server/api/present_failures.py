"""From failure data to what the API gives."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from rombel.model.failure import ORIGINS, FailureData, Origin, budget_minutes


def figures(data: FailureData) -> Iterator[dict[str, Any]]:
    """Yield every figure with its origin, what fails first."""
    for thing, failure in data.failures.items():
        yield {
            "name": str(thing),
            "per_year": failure.per_year,
            "repair_s": failure.repair_s,
            "minutes_month": budget_minutes(failure.unavailability),
            "origin": str(failure.origin),
            "why": failure.why,
            "stated": failure.origin is Origin.STATED,
        }
    for name in ORIGINS:
        origin, why = data.origins[name]
        value = float(getattr(data, name))
        yield {"name": name, "value": value, "origin": str(origin), "why": why, "stated": origin is Origin.STATED}

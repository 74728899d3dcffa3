"""Why one plan of a study costs another sum than one before or beside it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from accounts.action import Missing
from rombel.ledger import Bridge, bridge
from runs.bills import billed
from runs.models import Fit
from runs.queries import WITHOUT_ANSWER, latest_plan
from studies.models import Variant

EARLIER = 8
"""So many earlier plans of a variant are offered."""


@dataclass(frozen=True, slots=True)
class BridgeTold:
    """A bridge to the newest plan of a variant from another, and which others there are, each with its name."""

    before: Fit
    after: Fit
    bridge: Bridge
    others: Sequence[tuple[Fit, str]]


def told_bridge(variant: Variant, before: int | None) -> BridgeTold:
    """Return why a variant's newest plan costs what it does beside another plan of its study; none stated: the first of the others.

    Raises
    ------
    Missing
        When there is no plan, or nothing to compare it with.

    """
    fit = latest_plan(variant)
    if fit is None:
        raise Missing(f"Variant {variant.pk} has no plan to compare.")
    others = _others(variant, fit)
    chosen = next((other for other, _ in others if before is None or other.pk == before), None)
    if chosen is None:
        raise Missing(
            "There is no such plan to compare with." if others else "There is no other plan of this study yet."
        )
    return BridgeTold(chosen, fit, bridge(billed(chosen), billed(fit)), others)


def _others(variant: Variant, fit: Fit) -> list[tuple[Fit, str]]:
    """Return earlier plans of the variant that cost something else, the newest first, then the newest of each other variant."""
    found: list[tuple[Fit, str]] = []
    seen = {fit.cost_per_hour}
    for row in variant.fits.exclude(pk=fit.pk).exclude(status__in=WITHOUT_ANSWER).order_by("-pk")[:50]:
        # A run stores a quick answer and the whole one: of equal costs one is enough.
        if row.cost_per_hour not in seen and len(found) < EARLIER:
            seen.add(row.cost_per_hour)
            found.append((row, f"this variant, {row.created_at:%Y-%m-%d %H:%M}"))
    for other in variant.study.variants.exclude(pk=variant.pk).order_by("position"):
        newest = latest_plan(other)
        if newest is not None:
            found.append((newest, other.name))
    return found

"""Why one plan of a study costs another sum than one before or beside it."""

from __future__ import annotations

from collections.abc import Sequence
from copy import copy
from dataclasses import dataclass

from accounts.action import Missing
from catalogue.models import Edition, Region
from rombel.ledger import Billed, Bridge, at_list, bridge
from runs.bills import billed, charges_beside, source_of
from runs.models import Fit
from runs.queries import WITHOUT_ANSWER, latest_plan
from studies.adapt import supply_in
from studies.models import Variant

EARLIER = 8
"""So many earlier plans of a variant are offered."""


@dataclass(frozen=True, slots=True)
class BridgeTold:
    """A bridge between the newest plan of a variant and another, and which others there are, each with its name.

    ``edition``: the price list at which the same plan is, before or after; ``unsold``: instance types that it does not offer, at their own price.
    """

    before: Fit
    after: Fit
    bridge: Bridge
    names: tuple[str, str]
    others: Sequence[tuple[Fit, str]]
    lists: Sequence[tuple[Edition, str]]
    edition: int | None = None
    unsold: Sequence[str] = ()


def told_bridge(variant: Variant, before: int | None, edition: int | None = None) -> BridgeTold:
    """Return why a variant's newest plan costs what it does beside another plan of its study, or beside itself at another price list.

    Neither stated: beside the first of the others.

    Raises
    ------
    Missing
        When there is no plan, or nothing to compare it with.

    """
    fit = latest_plan(variant)
    if fit is None:
        raise Missing(f"Variant {variant.pk} has no plan to compare.")
    others, lists = _others(variant, fit), _lists(variant)
    if edition is not None or (before is None and lists and not others):
        return _at_edition(fit, edition, others, lists)
    chosen = next((other for other, _ in others if before is None or other.pk == before), None)
    if chosen is None:
        raise Missing(
            "There is no such plan to compare with." if others else "There is no other plan of this study yet."
        )
    name = next(name for other, name in others if other.pk == chosen.pk)
    return BridgeTold(chosen, fit, bridge(billed(chosen), billed(fit)), (name, variant.name), others, lists)


def _lists(variant: Variant) -> list[tuple[Edition, str]]:
    """Return the other editions of the variant's price list that have its region, the newest first."""
    if variant.region is None:
        return []
    own = variant.region.edition
    found = Edition.objects.filter(provider=own.provider, regions__name=variant.region.name).exclude(pk=own.pk)
    return [
        (entry, f"at the prices of {entry.dated.isoformat()}") for entry in found.order_by("-dated", "-pk")[:EARLIER]
    ]


def _at_edition(
    fit: Fit, edition: int | None, others: Sequence[tuple[Fit, str]], lists: Sequence[tuple[Edition, str]]
) -> BridgeTold:
    chosen = next(((entry, name) for entry, name in lists if edition in (None, entry.pk)), None)
    variant = fit.variant
    if chosen is None or variant.region is None:
        raise Missing("There is no such edition of the price list that sells in this region.")
    other, name = chosen
    plan, unsold = _at_prices_of(fit, other.regions.get(name=variant.region.name))
    # The older list comes first, so that a bridge leads forward in time.
    own = (billed(fit), variant.name)
    order = ((plan, name), own) if other.dated <= variant.region.edition.dated else (own, (plan, name))
    (before, first), (after, second) = order
    return BridgeTold(fit, fit, bridge(before, after), (first, second), others, lists, other.pk, unsold)


def _at_prices_of(fit: Fit, region: Region) -> tuple[Billed, list[str]]:
    there = copy(fit.variant)
    there.region = region
    own = billed(fit)
    zones = tuple(own.problem.zones)
    supply = supply_in(there, region, zones, ())
    fees = tuple(charges_beside(there, own.solution.nodes))
    return at_list(own, supply.types, supply.zone_charges, fees, source_of(there))


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

"""Other regions in which a variant's demand could run too."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from catalogue.listed import listed
from catalogue.queries import newest_regions
from rombel.availability.regions import RegionTimes
from rombel.errors import InputRefused
from rombel.formats import write_problem
from rombel.model.demand import Demand
from rombel.model.fit_problem import Survival
from rombel.plan import problem_of_study
from studies.adapt import share_down, supply_elsewhere, targets_of
from studies.models import Variant

MOST = 2
"""Other regions looked at where the variant names none."""


@dataclass(frozen=True, slots=True)
class OtherRegion:
    """A region by name, with the text of the whole demand's problem in it, or why there is none."""

    name: str
    problem: str
    reason: str


def other_regions(variant: Variant, rows: Sequence[Demand]) -> list[OtherRegion]:
    """Return the other regions of a variant.

    Those that the variant names; where it names none, the first of its own provider.
    """
    named = variant.beyond.get("region_ids", [])
    own = variant.region.edition.provider_id if variant.region else 0
    found = []
    for region in newest_regions():
        if variant.region is not None and region.name == variant.region.name:
            continue
        # Named regions, or else those of the same provider, as they share its prices and quotas.
        if region.pk in named or (not named and region.edition.provider_id == own):
            targets, asked, name = targets_of(variant), rows, region.name
            if len(listed(region).zones) == 1:  # Another region stands in for its zone.
                targets, name = replace(targets, survive_zone=Survival.NONE), f"{name} (its one zone not survived)"
                asked = [replace(row, survive_zone=None) for row in rows]
            try:
                problem = problem_of_study(supply_elsewhere(variant, region), targets, asked)
                found.append(OtherRegion(name, write_problem(problem), ""))
            except InputRefused as refused:
                found.append(OtherRegion(region.name, "", refused.faults[0].reason))
    return found if named else found[:MOST]


def times_of(stated: Mapping[str, Any]) -> RegionTimes:
    """Return what lies between regions, from its stored form; what is not stated is the default."""
    plain = RegionTimes()
    entry = share_down(stated["entry"]) if stated.get("entry") else plain.entry_away
    seconds = {name: float(stated.get(name, getattr(plain, name))) for name in ("redirect_s", "switch_s", "lag_s")}
    percent = stated.get("first_percent")
    return RegionTimes(entry_away=entry, first_share=None if percent is None else percent / 100, **seconds)

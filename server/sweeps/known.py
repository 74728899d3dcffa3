"""What a sentence may name in a study."""

from __future__ import annotations

from collections import Counter
from decimal import ROUND_DOWN, ROUND_UP, Decimal

from catalogue.models import Region
from catalogue.queries import newest_regions
from rombel.sweep import MEASURED, Known, Spread
from rombel.usage import GrowthParams
from runs.growth import ALL, headings
from studies.models import Variant


def regions_by_label() -> dict[str, Region]:
    """Return every region that can be had, by its name; where two providers have the same name, by both names."""
    regions = newest_regions()
    times = Counter(region.name for region in regions)
    return {
        region.name if times[region.name] == 1 else f"{region.edition.provider.name}/{region.name}": region
        for region in regions
    }


def known_of(variant: Variant, sentence: str) -> Known:
    """Return what a sentence about a variant may name; measurements take a while to read, and are looked at where it speaks of them."""
    names = list(variant.study.variants.order_by("position").values_list("name", flat=True))
    measured = measured_growth(variant) if MEASURED in sentence.lower() else None
    return Known(names, list(regions_by_label()), variant.name, measured)


def measured_growth(variant: Variant) -> Spread | None:
    """Return how the peak of all demand grows in the time that is looked ahead, as it was measured; None: it was not.

    Likely is the highest day expected, over the highest measured; the deviation is that of the band on the same day.
    """
    params = GrowthParams()
    found = next((heading.found for heading in headings(variant, params) if heading.name == ALL), None)
    if found is None or not found.expected:
        return None
    now = max((value for value in found.peaks if value == value), default=0.0)
    if not now:
        return None
    day = max(range(len(found.expected)), key=lambda place: found.expected[place])
    likely = 100 * (found.expected[day] / now - 1)
    deviation = 100 * (found.high[day] - found.expected[day]) / now / params.band_deviations
    # Three deviations hold all but one case of a thousand; less than what is measured is no growth to plan for.
    low = _whole(max(0.0, likely - 3 * deviation), ROUND_DOWN)
    high = _whole(max(1.0, likely + 3 * deviation), ROUND_UP)
    middle = min(high, max(low, Decimal(str(round(likely, 1)))))
    return Spread(low, high, middle, Decimal(str(round(deviation, 2))))


def _whole(percent: float, rounding: str) -> Decimal:
    return Decimal(str(percent)).quantize(Decimal(1), rounding)

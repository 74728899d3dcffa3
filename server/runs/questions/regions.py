"""The ways to work over several regions, each with its cost and the downtime of its journeys."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace

from jobs.control import Control
from rombel.availability.regions import Across, RegionTimes
from rombel.formats import read_problem
from rombel.inquiry import RegionInput, RegionPlan, region_plans
from rombel.model.failure import MINUTES_PER_YEAR
from rombel.model.failure import budget_minutes as minutes
from runs.availability import PackedWorld, packed, unpacked, world_of
from runs.beyond import OtherRegion, other_regions, times_of
from runs.models import Question
from runs.questions.asking import Asked, Occasion, QuestionKind, month, question
from studies.adapt import sized_rows


@dataclass(frozen=True, slots=True)
class RegionsGiven:
    """What is promised, the own region's name, the others, and what lies between them."""

    world: PackedWorld
    own: str
    regions: tuple[OtherRegion, ...]
    times: RegionTimes


@dataclass(frozen=True, slots=True)
class AcrossRegions:
    """A journey over regions: minutes a month and a year, switches and seconds of data lost a year."""

    minutes: float
    minutes_year: float
    switches_per_year: float
    lost_data_s_per_year: float


@dataclass(frozen=True, slots=True)
class PlanOverRegions:
    """A way to work over regions: its cost a month (none: a region has no fit), and its journeys."""

    together: str
    regions: tuple[str, ...]
    bears: tuple[float, ...]
    cost: str | None
    journeys: Mapping[str, AcrossRegions]
    reasons: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class WaysOverRegions:
    """Ways so far, and the regions in which the demand cannot be stated."""

    plans: tuple[PlanOverRegions, ...]
    left_out: tuple[str, ...]
    times: RegionTimes


@question
class Regions(QuestionKind[RegionsGiven, WaysOverRegions]):
    """Each region is really fitted."""

    question = Question.REGIONS
    given_type, answer_type = RegionsGiven, WaysOverRegions
    needs_journeys = True

    def gather(self, occasion: Occasion) -> RegionsGiven:
        """Return the regions that the variant names, or those nearest."""
        variant = occasion.variant
        return RegionsGiven(
            packed(world_of(variant)[0]),
            variant.region.name if variant.region else "",
            tuple(other_regions(variant, sized_rows(variant))),
            times_of(variant.beyond),
        )

    def answer(
        self, asked: Asked[RegionsGiven, WaysOverRegions], control: Control, keep: Callable[[WaysOverRegions], None]
    ) -> WaysOverRegions:
        """Return the ways."""
        given, world = asked.given, unpacked(asked.given.world)
        own = RegionInput(given.own, *asked.fit)
        others = [RegionInput(entry.name, read_problem(entry.problem)) for entry in given.regions if entry.problem]
        left_out = tuple(f"{entry.name}: {entry.reason}" for entry in given.regions if entry.reason)
        known = WaysOverRegions((), left_out, given.times)

        def on_plan(way: RegionPlan) -> None:
            nonlocal known
            known = replace(known, plans=(*known.plans, _plan(way)))
            keep(known)

        region_plans([own, *others], world, given.times, observer=control, on_plan=on_plan)
        return known


def _plan(way: RegionPlan) -> PlanOverRegions:
    return PlanOverRegions(
        together=str(way.together),
        regions=way.regions,
        bears=way.bears,
        cost=None if way.cost_per_hour is None else month(way.cost_per_hour),
        journeys={name: _across(found) for name, found in way.across.items()},
        reasons=way.reasons,
    )


def _across(found: Across) -> AcrossRegions:
    month_and_year = minutes(found.unavailability), found.unavailability * MINUTES_PER_YEAR
    return AcrossRegions(*month_and_year, found.switches_per_year, found.lost_data_s_per_year)

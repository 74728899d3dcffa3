"""Years played by chance beside the exact availability."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from decimal import Decimal

from jobs.control import Control
from rombel.fit import Progress
from rombel.model.failure import budget_minutes as minutes
from rombel.simulate import OutageParams, play_outages
from runs.availability import PackedWorld, packed, unpacked, world_of
from runs.models import Question
from runs.questions.asking import Asked, Occasion, QuestionKind, question

YEARS = 400
"""Played by one simulation, in twenty batches."""


@dataclass(frozen=True, slots=True)
class SimulationGiven:
    """What is promised."""

    world: PackedWorld


@dataclass(frozen=True, slots=True)
class PlayedJourney:
    """A journey played by chance beside its exact figure; minutes a month, the half width of the 95 % interval."""

    name: str
    exact: float
    mean: float
    half_width: float | None
    holds: bool
    outages_per_year: float
    batches: int


@dataclass(frozen=True, slots=True)
class PlayedYears:
    """Years played, and what they show."""

    years: float
    journeys: tuple[PlayedJourney, ...]


@question
class Simulation(QuestionKind[SimulationGiven, PlayedYears]):
    """It has the same meaning as the exact figure, and none of its mathematics."""

    question = Question.SIMULATION
    given_type, answer_type = SimulationGiven, PlayedYears
    needs_journeys = True

    def gather(self, occasion: Occasion) -> SimulationGiven:
        """Return what is promised."""
        return SimulationGiven(packed(world_of(occasion.variant)[0]))

    def answer(
        self, asked: Asked[SimulationGiven, PlayedYears], control: Control, keep: Callable[[PlayedYears], None]
    ) -> PlayedYears:
        """Return what the years show of every journey."""
        world = unpacked(asked.given.world)
        evaluation = world.evaluation(*asked.fit)
        journeys = [entry for entry in world.journeys if not evaluation.missing(entry)]
        params = OutageParams(years_per_batch=YEARS / 20)

        def on_batch(done: int, whole: int) -> bool:
            words = f"{round(done * params.years_per_batch)} of {YEARS} years"
            return control.on_progress(Progress(words, done / whole, Decimal(0), Decimal(0)))

        seen = play_outages(
            evaluation.placement, world.data, journeys, world.dependencies, params=params, on_batch=on_batch
        )
        rows = []
        for journey in journeys:
            played, (exact, within) = seen[journey.name], evaluation.unavailability_of(journey)
            half_width = minutes(played.unavailability.half_width) if played.unavailability.half_width < 1 else None
            holds = played.unavailability.holds(exact) or played.unavailability.holds(exact - within)
            rows.append(
                PlayedJourney(
                    journey.name,
                    minutes(exact),
                    minutes(played.unavailability.mean),
                    half_width,
                    holds,
                    played.outages_per_year,
                    played.unavailability.batches,
                )
            )
        return PlayedYears((rows[0].batches if rows else 0) * params.years_per_batch, tuple(rows))

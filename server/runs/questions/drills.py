"""Drills played on a fit: those that its promises imply, and those kept with the study."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from decimal import Decimal
from typing import Any

from jobs.control import Control
from rombel.fit import Progress
from rombel.formats import drill_of
from rombel.inquiry.drill_book import drill_book
from rombel.model.drill import Drill, DrillBook
from rombel.model.fit_problem import OfferKey
from rombel.simulate.drilling import DrillResult, drill_faults, play_drill
from runs.availability import PackedWorld, packed, unpacked, world_of
from runs.models import Fit, Question
from runs.questions.asking import Asked, Occasion, QuestionKind, question
from runs.questions.pool_limits import pool_limits
from runs.stored import stored_plan
from studies.models import Variant


@dataclass(frozen=True, slots=True)
class Maximum:
    """Most nodes of an offer that autoscaling may reach."""

    offer: OfferKey
    most: int


@dataclass(frozen=True, slots=True)
class DrillsGiven:
    """What is promised, the study's own drills as they are stored, and the limits of autoscaling that are known."""

    world: PackedWorld
    own: list[dict[str, Any]]
    maxima: tuple[Maximum, ...]


@dataclass(frozen=True, slots=True)
class Unplayable:
    """A drill of one's own that does not fit what was fitted: why, and what would fix it."""

    name: str
    reason: str
    fix: str


@dataclass(frozen=True, slots=True)
class PlayedDrills:
    """What each drill showed so far, of how many, and those that cannot be played on this fit."""

    whole: int
    results: tuple[DrillResult, ...] = ()
    unplayable: tuple[Unplayable, ...] = ()


@question
class Drills(QuestionKind[DrillsGiven, PlayedDrills]):
    """They are played after every whole fit by themselves, behind what a planner asks."""

    question = Question.DRILLS
    given_type, answer_type = DrillsGiven, PlayedDrills
    priority = 2

    def gather(self, occasion: Occasion) -> DrillsGiven:
        """Return what is promised, and the drills of one's own."""
        variant = occasion.variant
        return DrillsGiven(packed(world_of(variant)[0]), variant.study.drills, _maxima(variant))

    def answer(
        self, asked: Asked[DrillsGiven, PlayedDrills], control: Control, keep: Callable[[PlayedDrills], None]
    ) -> PlayedDrills:
        """Return what they showed; those that are known already are not played again."""
        (problem, solution), given = asked.fit, asked.given
        own = [drill_of(entry) for entry in given.own]
        book = drill_book(
            unpacked(given.world), problem, solution, own, {entry.offer: entry.most for entry in given.maxima}
        )
        playable, unplayable = list[Drill](), list[Unplayable]()
        for drill in book.drills:
            fault = next(drill_faults(drill, problem, solution, book, drill.name), None)
            if fault is None:
                playable.append(drill)
            else:
                unplayable.append(Unplayable(drill.name, fault.reason, fault.fix))
        known = asked.so_far or PlayedDrills(len(playable), (), tuple(unplayable))
        for drill in playable[len(known.results) :]:
            known = replace(known, results=(*known.results, play_drill(problem, solution, book, drill)))
            keep(known)
            done = len(known.results)
            words = f"{done} of {len(playable)} drills"
            if control.on_progress(Progress(words, done / len(playable), Decimal(0), Decimal(0))):
                break
        return known

    def shown(self, answer: PlayedDrills) -> PlayedDrills:
        """Return the marks and read-outs; what happened in a drill is asked for by itself."""
        return replace(answer, results=tuple(replace(result, events=(), nodes=()) for result in answer.results))


def _maxima(variant: Variant) -> tuple[Maximum, ...]:
    """Return the most nodes that autoscaling may reach; none where no limits are known."""
    return tuple(Maximum(offer, limit.most) for offer, limit in pool_limits(variant).ranges.items())


def book_of(fit: Fit) -> DrillBook:
    """Return the drill book of a fit as its study stands now."""
    world, variant = world_of(fit.variant)[0], fit.variant
    maxima = {entry.offer: entry.most for entry in _maxima(variant)}
    own = [drill_of(entry) for entry in variant.study.drills]
    return drill_book(world, *stored_plan(fit), own, maxima)

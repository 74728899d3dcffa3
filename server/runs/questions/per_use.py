"""What of a plan should run per use, and the cheaper mixture."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from fractions import Fraction

from catalogue.adapt import listed_per_use
from jobs.control import Control
from rombel.errors import refuse
from rombel.formats import read_problem
from rombel.inquiry import PerUsePlan, per_use_plan
from rombel.model.levels import hour_shares
from rombel.model.price_list import ListedPerUse
from rombel.plan import problems_by_level
from runs.models import Question
from runs.questions.asking import Asked, Occasion, QuestionKind, question
from studies.adapt import exchange_for, sized_rows, supply_of, targets_of


@dataclass(frozen=True, slots=True)
class PerUseGiven:
    """What is billed by the second, in the study's currency, and by workload the share of the hours that a replica runs."""

    offers: tuple[ListedPerUse, ...]
    shares: Mapping[str, str]
    alike: Mapping[str, tuple[str, ...]]


@question
class PerUseQuestion(QuestionKind[PerUseGiven, PerUsePlan]):
    """The mixture is really fitted."""

    question = Question.PER_USE
    given_type, answer_type = PerUseGiven, PerUsePlan

    def gather(self, occasion: Occasion) -> PerUseGiven:
        """Return what the price list bills by the second; refused where it bills nothing so."""
        variant = occasion.variant
        rows = [] if variant.region is None else list(variant.region.edition.per_use.all())
        if variant.region is None or not rows:
            fix = "Choose a region of a provider that does, under Supply."
            raise refuse("ledger.per_use", "supply.region", "The price list bills nothing by the second.", fix)
        convert = exchange_for(variant.study, variant.region.edition.currency)
        offers = tuple(
            replace(offer, vcpu_second=convert(offer.vcpu_second), gib_second=convert(offer.gib_second))
            for offer in map(listed_per_use, rows)
        )
        problems = problems_by_level(supply_of(variant), targets_of(variant), sized_rows(variant))
        hours = hour_shares(variant.study.level_shares)
        running: defaultdict[str, Fraction] = defaultdict(Fraction)
        for level, problem in problems.items():
            for workload in problem.workloads:
                running[workload.name] += hours[level] * workload.replicas
        planned = {w.name: w.replicas for w in read_problem(occasion.the_fit.problem).workloads if w.replicas}
        types = variant.region.edition.types.values_list("architecture", "name")
        sold = {entry.name for entry in read_problem(occasion.the_fit.problem).instance_types}
        alike = {
            offer.name: tuple(name for chip, name in types if chip == offer.architecture and name in sold)
            for offer in offers
        }
        return PerUseGiven(offers, {name: str(running[name] / count) for name, count in planned.items()}, alike)

    def answer(
        self, asked: Asked[PerUseGiven, PerUsePlan], control: Control, keep: Callable[[PerUsePlan], None]
    ) -> PerUsePlan:
        """Return the mixture."""
        shares = {name: Fraction(share) for name, share in asked.given.shares.items()}
        alike = {name: frozenset(types) for name, types in asked.given.alike.items()}
        return per_use_plan(*asked.fit, asked.given.offers, shares=shares, alike=alike, observer=control)

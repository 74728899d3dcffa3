"""What of a plan should run per use, and the cheaper mixture."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from fractions import Fraction

from catalogue.adapt import listed_per_use
from jobs.control import Control
from rombel.errors import refuse
from rombel.inquiry import PerUsePlan, Use, per_use_plan
from rombel.model.demand import Demand, parted_name
from rombel.model.levels import hour_shares
from rombel.model.price_list import ListedPerUse
from rombel.plan import problems_by_level
from runs.models import Question
from runs.questions.asking import Asked, Occasion, QuestionKind, question
from runs.stored import stored_plan
from studies.adapt import exchange_for, sized_rows, supply_of, targets_of


@dataclass(frozen=True, slots=True)
class GivenUse:
    """How a workload runs: by level its share of the hours, as an exact text, and its replicas; how it may be replaced."""

    levels: tuple[tuple[str, int], ...]
    may_be_gone: int
    start_up_s: int

    def exact(self) -> Use:
        """Return the core's value."""
        levels = tuple((Fraction(share), replicas) for share, replicas in self.levels)
        return Use(levels, self.may_be_gone, self.start_up_s)


@dataclass(frozen=True, slots=True)
class PerUseGiven:
    """What is billed by the second, in the study's currency, and by workload how it runs."""

    offers: tuple[ListedPerUse, ...]
    uses: Mapping[str, GivenUse]
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
        rows_of_demand = sized_rows(variant)
        # Replicas by level as a fit would count them, growth and sizes included.
        problems = problems_by_level(supply_of(variant), targets_of(variant), rows_of_demand)
        hours = hour_shares(variant.study.level_shares)
        running: defaultdict[str, list[tuple[str, int]]] = defaultdict(list)
        for level, asked in problems.items():
            for workload in asked.workloads:
                # A share of the hours is a fraction, and JSON would round it.
                running[workload.name].append((str(hours[level]), workload.replicas))
        problem, _ = stored_plan(occasion.the_fit)
        planned = {w.name: w.replicas for w in problem.workloads if w.replicas}
        known = {row.full_name: row for row in rows_of_demand}
        uses = {name: GivenUse(tuple(running[name]), *_replaced(name, count, known)) for name, count in planned.items()}
        types = variant.region.edition.types.values_list("architecture", "name")
        # Only types that the plan could buy: others are no mixture of the same study.
        sold = {entry.name for entry in problem.instance_types}
        alike = {
            offer.name: tuple(name for chip, name in types if chip == offer.architecture and name in sold)
            for offer in offers
        }
        return PerUseGiven(offers, uses, alike)

    def answer(
        self, asked: Asked[PerUseGiven, PerUsePlan], control: Control, keep: Callable[[PerUsePlan], None]
    ) -> PerUsePlan:
        """Return the mixture."""
        uses = {name: use.exact() for name, use in asked.given.uses.items()}
        alike = {name: frozenset(types) for name, types in asked.given.alike.items()}
        return per_use_plan(*asked.fit, asked.given.offers, uses=uses, alike=alike, observer=control)


def _replaced(name: str, count: int, rows: Mapping[str, Demand]) -> tuple[int, int]:
    """Return how many of a workload's replicas may be gone at once, one where nothing is stated, and until a new one serves, in seconds.

    What is kept together is replaced together, as the strictest of its members asks.
    """
    gone, start_up = [], [0]
    for member, times in parted_name(name):
        row, replicas = rows.get(member), count * times
        if row is None:
            continue
        start_up.append(row.pod.start_up_s or 0)
        if row.budget:
            gone.append(row.budget.allowed(replicas) // times)
        if row.serving:
            gone.append(max(0, replicas - row.serving_of(replicas)) // times)
    return min(gone, default=1), max(start_up)

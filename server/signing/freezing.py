"""What is seen of a variant's newest plan when it is handed in."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from decimal import Decimal
from functools import cached_property

from house.models import RuleSet, present_rules
from rombel.comparison import Side
from rombel.errors import Fault, InputRefused, refuse
from rombel.model.fit_solution import counted
from rombel.model.quantity import HOURS_PER_MONTH
from rombel.signing import (
    SeenDrill,
    SeenFinding,
    SeenJourney,
    SeenPlan,
    digest_of_seen,
    hurdles,
    seen_value,
    signatures_needed,
)
from runs.answers import played_drills
from runs.availability import downtime_over
from runs.bills import Division, told_bill
from runs.findings import Occasion
from runs.inputs import digest_of
from runs.models import Fit
from runs.queries import latest_plan, present_digest
from studies.adapt import allowed_minutes, exchange_for
from studies.models import Study, Variant

_CENT = Decimal("0.01")


@dataclass(frozen=True)
class Draft:
    """What a lead would see of a variant's newest plan, and what keeps it from being handed in."""

    variant: Variant
    fit: Fit
    plan: SeenPlan

    @cached_property
    def digest(self) -> str:
        """Return the fingerprint of what is seen."""
        return digest_of_seen(seen_value(self.plan))

    @cached_property
    def hurdles(self) -> list[Fault]:
        """Return what keeps it from being handed in."""
        # A plan of yesterday's demand may be a good one, and still is none of what the study asks today.
        late = present_digest(self.variant)[0] != self.fit.digest
        reason = "The variant was changed since its plan was computed."
        return [*([Fault("sign.late", "fit", reason, "Fit again.")] if late else []), *hurdles(self.plan)]

    @cached_property
    def needed(self) -> int:
        """Return how many leads sign it; two where nobody can tell whether it costs more than the house's amount."""
        rules = present_rules()
        try:
            # The house's amount may be in a currency that the study has no rate of.
            return signatures_needed(self.plan.cost, _amount(rules, self.variant.study))
        except InputRefused:
            return 2


def draft_of(variant: Variant) -> Draft:
    """Return what would be handed in of a variant's newest plan.

    Raises
    ------
    InputRefused
        When it has no plan.

    """
    fit = latest_plan(variant)
    if fit is None:
        raise refuse("sign.plan", "fit", "There is no plan to be signed.", "Fit the variant first.")
    return draft_at(Occasion(variant, fit), fit)


def draft_at(at: Occasion, fit: Fit) -> Draft:
    """Return what would be handed in of a plan, given what is looked up of it."""
    variant = at.variant
    # The whole bill and not the nodes alone: this is the amount that a lead answers for.
    bill = told_bill(variant, "month", Division())
    floor = (fit.floor_per_hour * HOURS_PER_MONTH + at.fees_per_month).quantize(_CENT)
    said = {row.rule: row.why for row in variant.deviations.all()}
    plan = SeenPlan(
        problem=fit.digest,
        solution=digest_of(fit.solution),
        currency=variant.study.currency,
        cost=bill.total,
        floor=floor,
        nodes=counted(at.nodes),
        journeys=tuple(_journeys(variant, fit)),
        bill=tuple((share.name, share.amount) for share in bill.shares),
        drills=_drills(fit),
        findings=tuple(_findings(at)),
        deviations=tuple((each.rule, each.chosen, said.get(each.rule, "")) for each in at.deviations),
    )
    return Draft(variant, fit, plan)


def side_of(name: str, plan: SeenPlan) -> Side:
    """Return what was seen as one side of a comparison."""
    # Frozen as decimals, so that a fingerprint holds; sides of a comparison are told in floats.
    down = {own.name: float(own.minutes) for own in plan.journeys}
    return Side(name, plan.currency, plan.cost, plan.nodes, down)


def _journeys(variant: Variant, fit: Fit) -> Iterator[SeenJourney]:
    allowed = {own["name"]: allowed_minutes(own["target"]) for own in variant.study.journeys if own["target"]}
    for name, minutes in sorted(downtime_over(variant, fit).items()):
        yield SeenJourney.of(name, minutes, allowed.get(name))


def _drills(fit: Fit) -> tuple[SeenDrill, ...] | None:
    played = played_drills(fit)
    return None if played is None else tuple(SeenDrill(name, mark) for name, mark in played)


def _findings(at: Occasion) -> Iterator[SeenFinding]:
    for each in at.judged:
        found = each.finding
        accepted = "" if each.accepted is None else f"{each.by}: {each.accepted.why}"
        yield SeenFinding(found.grade, found.code, found.text, found.fix, accepted)


def _amount(rules: RuleSet, study: Study) -> Decimal | None:
    """Return the house's amount in the study's currency."""
    if rules.sign_off_above is None:
        return None
    return exchange_for(study, rules.currency)(Decimal(rules.sign_off_above))

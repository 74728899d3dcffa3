"""What pre-flight finds of a variant, and what a newer price list would change."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from decimal import Decimal
from functools import cached_property

from catalogue.adapt import listed_offers
from catalogue.comparing import changes_between
from catalogue.listed import listed
from catalogue.models import RateSheet
from catalogue.queries import newest_edition, newest_rates
from house.models import present_rules, rules_of
from measured.adapt import running_of
from rombel.catalogue import reprice
from rombel.catalogue.differences import Repriced
from rombel.model.demand import Demand
from rombel.model.fit_problem import OfferKey, Survival
from rombel.model.fit_solution import FitSolution, NodeBatch
from rombel.model.house_rules import deviations, unlabelled
from rombel.model.quantity import HOURS_PER_MONTH
from rombel.model.study import ARCHITECTURE_LABEL
from rombel.model.taints import Taint
from rombel.preflight import Finding, Grade, Money, Plane, Situation
from rombel.preflight import findings as found_by_rules
from runs.addresses import addresses_for
from runs.bills import fees_beside
from runs.models import Fit
from runs.queries import WITHOUT_ANSWER
from runs.questions.pool_limits import Origin, PoolLimits, pool_limits
from runs.stored import stored_plan, stored_solution
from studies.adapt import choices_of, demand_rows, exchange_for, family_rule, journeys_of
from studies.addresses import addresses_of, stated_addresses
from studies.build import build_of
from studies.models import AcceptedFinding, Variant


class Occasion:
    """A variant with what several answers about it need, looked up once: rules, deviations, fees, newest list."""

    def __init__(self, variant: Variant, fit: Fit | None) -> None:
        region = variant.region
        self.variant, self.fit = variant, fit
        self.stated_rules = present_rules()
        self.rules = rules_of(self.stated_rules)
        self.deviations = deviations(self.rules, choices_of(variant))
        self.tier = listed(region).tier(variant.tier) if region else None
        self.newest = newest_edition(region.edition.provider) if region else None

    @cached_property
    def rows(self) -> list[Demand]:
        """Return the study's rows."""
        return demand_rows(self.variant.study)

    @cached_property
    def solution(self) -> FitSolution | None:
        """Return the plan of the fit; None where it has none."""
        plan = self.fit is not None and self.fit.status not in WITHOUT_ANSWER
        return stored_solution(self.fit) if self.fit is not None and plan else None

    @property
    def nodes(self) -> tuple[NodeBatch, ...]:
        """Return the nodes of the fit; none where it has no plan."""
        return () if self.solution is None else self.solution.nodes

    @cached_property
    def fees_per_month(self) -> Decimal:
        """Return what is paid beside nodes and zones in the study's currency: the control plane's tier, the study's fees, volumes."""
        return fees_beside(self.variant, self.nodes)

    @cached_property
    def judged(self) -> list[Judged]:
        """Return every finding with whether it was accepted, the gravest first."""
        found = findings(self)
        acceptable = any(each.grade is not Grade.STOP for each in found)
        rows = self.variant.accepted_findings.select_related("accepted_by") if acceptable else ()
        # A finding in other words is another one: what was accepted is no longer there.
        said = {(row.code, row.text): row for row in rows}
        return [
            Judged(each, None if each.grade is Grade.STOP else said.get((each.code, each.text[:1000])))
            for each in found
        ]


def findings(at: Occasion) -> list[Finding]:
    """Return every finding of a variant, the gravest first."""
    return found_by_rules(situation_of(at))


@dataclass(frozen=True, slots=True)
class Judged:
    """A finding, and by whom it was accepted; what stops a build nobody accepts."""

    finding: Finding
    accepted: AcceptedFinding | None

    @property
    def by(self) -> str:
        """Return who accepted it; of what came with a file, who said so elsewhere too."""
        if self.accepted is None:
            return ""
        own = self.accepted.accepted_by.shown_name
        return f"{own}, as {self.accepted.said_by} did elsewhere" if self.accepted.said_by else own


def keep_figures(at: Occasion, found: Sequence[Judged]) -> None:
    """Keep with the fit what the list of studies tells of it: fees, blockers, and warnings that nobody accepted."""
    if at.fit is None or at.fit.status in WITHOUT_ANSWER:
        return
    now = {
        "fees_per_month": at.fees_per_month.quantize(Decimal("0.01")),
        "blockers": sum(each.finding.grade is Grade.STOP for each in found),
        "warnings": sum(each.finding.grade is Grade.CARE and each.accepted is None for each in found),
    }
    # Looked at with every load of a bench, and hardly ever other than before.
    if any(getattr(at.fit, name) != value for name, value in now.items()):
        Fit.objects.filter(pk=at.fit.pk).update(**now)


def situation_of(at: Occasion) -> Situation:
    """Return all that the rules of pre-flight look at."""
    variant, region = at.variant, at.variant.region
    planned = at.fit is not None and at.fit.status not in WITHOUT_ANSWER
    # By name alone: which value a label has is each team's affair.
    carried = {row.full_name: list(row.labels) for row in at.rows}
    limits = pool_limits(variant) if planned else None
    told = None
    if at.fit is not None and limits is not None and addresses_of(variant.addresses) is not None:
        told = addresses_for(variant, at.fit, limits)
    return Situation(
        rows=tuple(at.rows),
        growth_percent=variant.study.growth_percent,
        survive=Survival(variant.survive_zone),
        zones=tuple(variant.zones),
        zones_there=len(listed(region).zones) if region else None,
        problem=stored_plan(at.fit)[0] if at.fit is not None and planned else None,
        solution=at.solution,
        architectures=listed(region).architectures if region else {},
        # The rule that compares with it is silent without a plan, and where the house sets an architecture.
        running_on=_architectures_today(variant) if planned and not at.rules.architecture else {},
        house_architecture=at.rules.architecture,
        taints=_taints(variant),
        most=_most(limits),
        # Limits of the design of levels hold the surge already.
        surge=0
        if limits is not None and limits.origin is Origin.LEVELS
        else stated_addresses(variant.addresses)["surge"],
        plans=() if told is None else tuple(told.plans),
        today=None if told is None else told.today,
        gateways=None if told is None else stated_addresses(variant.addresses)["gateways"],
        deviations=tuple(at.deviations),
        unlabelled=unlabelled(at.rules, carried),
        money=_money(at) if planned else None,
        plane=None if region is None else _plane(at),
        build=build_of(variant, datetime.now(UTC).date()),
        highest_target=_highest_target(at),
        newer_list=_newer_list(at),
        newer_rates=_newer_rates(at),
    )


def _most(limits: PoolLimits | None) -> dict[OfferKey, int]:
    return {} if limits is None else {key: own.most for key, own in limits.ranges.items()}


def _taints(variant: Variant) -> dict[str, Taint]:
    found = {name: family_rule(rule).taint for name, rule in variant.family_rules.items()}
    return {name: taint for name, taint in found.items() if taint is not None}


def _architectures_today(variant: Variant) -> dict[str, frozenset[str]]:
    """Return the architectures that each workload runs on in the listing of the running cluster, as far as nodes name them."""
    listing = variant.study.running
    if listing is None:
        return {}
    running = running_of(listing)
    # A node without the label says nothing, and nothing is guessed from its type.
    of_node = {node.name: node.labels.get(ARCHITECTURE_LABEL, "") for node in running.nodes}
    found: dict[str, set[str]] = {}
    for node, replicas in running.replicas.items():
        for name in replicas:
            if of_node.get(node):
                found.setdefault(name, set()).add(of_node[node])
    return {name: frozenset(kinds) for name, kinds in found.items()}


def _money(at: Occasion) -> Money | None:
    variant, fit, rules = at.variant, at.fit, at.rules
    if fit is None:
        return None
    cost, floor = (amount * HOURS_PER_MONTH + at.fees_per_month for amount in (fit.cost_per_hour, fit.floor_per_hour))
    currency = variant.study.currency
    sign_off = rules.sign_off_above if rules.currency == currency else None
    return Money(currency, cost, floor, variant.budget_per_month, sign_off)


def _plane(at: Occasion) -> Plane:
    tier = at.tier
    members = at.variant.control_plane_members
    return Plane(members) if tier is None else Plane(members, tier.name, tier.spans_zones, tier.uptime)


def _highest_target(at: Occasion) -> tuple[str, Decimal] | None:
    # Of several journeys the strictest decides how much the control plane matters.
    highest = max(journeys_of(at.variant.study, at.rows), key=lambda journey: journey.target, default=None)
    return None if highest is None or not highest.target else (highest.name, highest.target / 100)


def _newer_list(at: Occasion) -> str:
    region, newest = at.variant.region, at.newest
    if region is None or newest is None or newest.pk == region.edition_id:
        return ""
    return f"a newer price list is there, of {newest.dated}; this is of {region.edition.dated}"


def _newer_rates(at: Occasion) -> str:
    region, study, rates = at.variant.region, at.variant.study, newest_rates()
    foreign = region is not None and region.edition.currency != study.currency
    if foreign and study.rates and rates and rates.pk != study.rates_id:
        return f"newer rates are stated, of {rates.dated}; the study uses {study.rates.dated}"
    return ""


@dataclass(frozen=True)
class SupplyNews:
    """What the newest edition would make of a variant's fit; amounts a month in the study's currency."""

    edition_dated: str
    region_id: int | None
    changes: int
    now: Decimal | None
    then: Repriced | None


def supply_news(at: Occasion) -> SupplyNews | None:
    """Return what a newer price list would change for this variant; None where there is none."""
    fit, region, newest = at.fit, at.variant.region, at.newest
    if region is None or newest is None or newest.pk == region.edition_id:
        return None
    there = newest.regions.filter(name=region.name).first()
    changes = changes_between(region.edition_id, newest.pk)
    now = then = None
    if fit is not None and fit.status not in WITHOUT_ANSWER:
        now = fit.cost_per_hour * HOURS_PER_MONTH
        found = reprice(at.nodes, listed_offers(newest, {batch.instance_type for batch in at.nodes}), region.name)
        convert = exchange_for(at.variant.study, newest.currency)
        then = Repriced(convert(found.cost_per_month), found.missing)
    return SupplyNews(newest.dated.isoformat(), there.pk if there else None, changes, now, then)


def rates_used(variant: Variant) -> RateSheet | None:
    """Return the sheet of rates that the variant's prices were converted by; None where none was needed."""
    region = variant.region
    if region is None or region.edition.currency == variant.study.currency:
        return None
    return variant.study.rates

"""What is worth saying of a variant before anybody builds it: stops, cares and notes, each with its place."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from decimal import Decimal
from fractions import Fraction
from functools import cached_property

from catalogue.adapt import listed_offers
from catalogue.comparing import changes_between
from catalogue.models import RateSheet
from catalogue.queries import newest_edition, newest_rates
from house.models import present_rules, rules_of
from measured.adapt import running_of
from rombel.catalogue import reprice
from rombel.catalogue.differences import Repriced
from rombel.formats import read_solution
from rombel.model.demand import Demand, by_member
from rombel.model.fit_problem import Survival
from rombel.model.fit_solution import NodeBatch
from rombel.model.house_rules import deviations, unlabelled
from rombel.model.quantity import HOURS_PER_MONTH
from rombel.model.row_facts import facts_of
from rombel.model.study import ARCHITECTURE_LABEL
from runs.bills import as_decimal, charges_beside
from runs.models import Fit
from runs.queries import WITHOUT_ANSWER
from studies.adapt import choices_of, demand_rows, exchange_for
from studies.models import Variant


@dataclass(frozen=True)
class Finding:
    """One thing found: ``stop`` (would fail), ``care`` (risky) or ``note``; where to fix it."""

    level: str
    place: str
    text: str


class Situation:
    """A variant with what several answers about it need, looked up once: rules, deviations, fees, newest list."""

    def __init__(self, variant: Variant, fit: Fit | None) -> None:
        region = variant.region
        self.variant, self.fit = variant, fit
        self.rules = rules_of(present_rules())
        self.deviations = deviations(self.rules, choices_of(variant))
        self.tier = region.edition.tiers.filter(name=variant.tier).first() if region and variant.tier else None
        self.newest = newest_edition(region.edition.provider) if region else None

    @cached_property
    def rows(self) -> list[Demand]:
        """Return the study's rows."""
        return demand_rows(self.variant.study)

    @cached_property
    def nodes(self) -> tuple[NodeBatch, ...]:
        """Return the nodes of the fit; none where it has no plan."""
        plan = self.fit is not None and self.fit.status not in WITHOUT_ANSWER
        return read_solution(self.fit.solution).nodes if self.fit is not None and plan else ()

    @cached_property
    def fees_per_month(self) -> Decimal:
        """Return what is paid beside nodes and zones in the study's currency: the control plane's tier, the study's fees, volumes."""
        charges = charges_beside(self.variant, self.nodes)
        return as_decimal(sum((charge.amount for charge in charges), Fraction(0)))


def findings(at: Situation) -> list[Finding]:
    """Return every finding of a variant, the gravest first."""
    order = {"stop": 0, "care": 1, "note": 2}
    found = [*_rules(at), *_demand(at), *_architecture(at), *_money(at), *_plane(at), *_age(at)]
    return sorted(found, key=lambda entry: order[entry.level])


def _rules(at: Situation) -> Iterator[Finding]:
    for entry in at.deviations:
        words = f"{entry.rule.replace('_', ' ')}: {entry.chosen}, the house rule is {entry.asked}"
        yield Finding("care" if entry.allowed else "stop", "targets", words)
    # Labels that the house asks for on every workload.
    carried = {f"{row.namespace}/{row.name}": list(row.labels) for row in at.variant.study.workloads.all()}
    lacking = unlabelled(at.rules, carried)
    if lacking:
        keys = ", ".join(sorted({key for keys in lacking.values() for key in keys}))
        some = ", ".join(sorted(lacking)[:3]) + (" and others" if len(lacking) > 3 else "")
        yield Finding("care", "demand", f"{len(lacking)} workloads lack the required label {keys}: {some}")


def _demand(at: Situation) -> Iterator[Finding]:
    """Yield what the demand sheet needs a look at, by what it is."""
    study, survive = at.variant.study, Survival(at.variant.survive_zone)
    found: dict[str, list[str]] = {}
    for row in at.rows:
        for fact in facts_of(row, at.rows, study.growth_percent, survive):
            if fact.care and fact.label in _DEMAND_WORDS:
                found.setdefault(fact.label, []).append(row.full_name)
    for label, names in found.items():
        yield Finding("care", "demand", f"{_DEMAND_WORDS[label]}: {_some(names)}")


def _architecture(at: Situation) -> Iterator[Finding]:
    """Yield that workloads which name no architecture were placed on another one than the study's cluster runs them on, or on several."""
    region = at.variant.region
    if region is None or not at.nodes or at.rules.architecture:
        # One architecture on all nodes surprises nobody.
        return
    silent = {
        row.full_name for row in at.rows if ARCHITECTURE_LABEL not in row.node_labels and not row.pod.any_architecture
    }
    of_type = dict(region.edition.types.values_list("name", "architecture"))
    placed: dict[str, set[str]] = {}
    for batch in at.nodes:
        for name in by_member(batch.replicas):
            if name in silent:
                placed.setdefault(name, set()).add(of_type.get(batch.instance_type, ""))
    if len({kind for kinds in placed.values() for kind in kinds}) < 2:
        return
    today = _architectures_today(at.variant)
    moved = [name for name, kinds in placed.items() if name in today and kinds - today[name]]
    if moved:
        words = "placed on another architecture than they run on today, and name none"
        yield Finding("care", "demand", f"{words}: {_some(moved)}")
    several = [name for name in placed if name not in today]
    if several:
        words = "name no architecture and were placed on whatever is cheapest; house rules can set one"
        yield Finding("note", "demand", f"{len(several)} workloads {words}: {_some(several)}")


def _architectures_today(variant: Variant) -> dict[str, set[str]]:
    """Return the architectures that each workload runs on in the listing of the running cluster, as far as nodes name them."""
    listing = variant.study.running
    if listing is None:
        return {}
    running = running_of(listing)
    of_node = {node.name: node.labels.get(ARCHITECTURE_LABEL, "") for node in running.nodes}
    found: dict[str, set[str]] = {}
    for node, replicas in running.replicas.items():
        for name in replicas:
            if of_node.get(node):
                found.setdefault(name, set()).add(of_node[node])
    return found


_DEMAND_WORDS = {
    "odd request": "requests that hardly are meant, such as memory without its unit",
    "unserved": "more replicas are wanted than are allowed",
    "zonal volume": "replicas with a zonal volume cannot land in another zone",
    "may be down at once": "the disruption budget lets no node be drained",
    "copies": "data with a single copy",
    "volumes too small": "volumes too small for the data",
    "scale ceiling": "at the scale ceiling, more replicas cannot be used",
}


def _some(names: list[str]) -> str:
    """Return the first three names, and how many more there are."""
    more = f" and {len(names) - 3} more" if len(names) > 3 else ""
    return ", ".join(sorted(names)[:3]) + more


def _money(at: Situation) -> Iterator[Finding]:
    variant, fit, rules = at.variant, at.fit, at.rules
    if fit is None or fit.status in WITHOUT_ANSWER:
        return
    fees, currency = at.fees_per_month, variant.study.currency
    cost, floor = (amount * HOURS_PER_MONTH + fees for amount in (fit.cost_per_hour, fit.floor_per_hour))
    ceiling = variant.budget_per_month
    # The floor alone is above the ceiling: no search helps.
    if ceiling is not None and floor > ceiling:
        words = f"no plan that keeps these promises stays under the ceiling of {ceiling:,.0f} {currency}"
        yield Finding("stop", "targets", f"{words}: the floor with fees is {floor:,.0f}")
    elif ceiling is not None and cost > ceiling:
        yield Finding("stop", "targets", f"{cost:,.0f} {currency} a month with fees, the ceiling is {ceiling:,.0f}")
    if rules.sign_off_above is not None and rules.currency == currency and cost > rules.sign_off_above:
        words = f"{cost:,.0f} {currency} a month with fees: above {rules.sign_off_above:,.0f} a lead signs off"
        yield Finding("care", "targets", words)


def _plane(at: Situation) -> Iterator[Finding]:
    variant, tier = at.variant, at.tier
    # Without a promise to survive a zone the plane's place breaks none.
    if variant.survive_zone == "none" or variant.region is None:
        return
    if variant.control_plane_members == 1:
        words = "the control plane has one member: while it is down nothing heals, scales or lands"
        yield Finding("care", "targets", words)
    elif tier is not None and not tier.spans_zones:
        words = f"the control plane's tier '{tier.name}' stands in one zone: losing that zone stops healing and landing"
        yield Finding("care", "targets", words)


def _age(at: Situation) -> Iterator[Finding]:
    region, newest = at.variant.region, at.newest
    if region is None:
        return
    if newest is not None and newest.pk != region.edition_id:
        yield Finding(
            "note", "supply", f"a newer price list is there, of {newest.dated}; this is of {region.edition.dated}"
        )
    study, rates = at.variant.study, newest_rates()
    foreign = region.edition.currency != study.currency
    if foreign and study.rates and rates and rates.pk != study.rates_id:
        yield Finding("note", "supply", f"newer rates are stated, of {rates.dated}; the study uses {study.rates.dated}")


@dataclass(frozen=True)
class SupplyNews:
    """What the newest edition would make of a variant's fit; amounts a month in the study's currency."""

    edition_dated: str
    region_id: int | None
    changes: int
    now: Decimal | None
    then: Repriced | None


def supply_news(at: Situation) -> SupplyNews | None:
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

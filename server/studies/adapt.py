"""Between database rows and the core's values; nobody else mentions both."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable, Mapping, Sequence
from decimal import Decimal, InvalidOperation
from typing import Any

from pydantic import TypeAdapter

from catalogue.adapt import plain, rates_of
from catalogue.listed import listed, sold_in
from catalogue.models import Region
from house.models import present_rules, rules_of
from rombel.availability import Plane
from rombel.errors import refuse
from rombel.model.beside import BesideCost, on_zones, with_beside
from rombel.model.demand import (
    ACCELERATORS,
    LOCAL_DISK,
    Budget,
    Demand,
    Level,
    Partitioned,
    PodDetail,
    Provenance,
    Size,
    Sizing,
    WorkloadKind,
    with_sizes,
)
from rombel.model.failure import FailureData, Origin, budget_minutes, failure_of
from rombel.model.fit_problem import FitProblem, NodeLoss, Purchase, Survival
from rombel.model.fit_problem import Offer as CoreOffer
from rombel.model.house_rules import Choices
from rombel.model.journey import Among, Block, Dependency, Journey, Part, Reach, read_chain
from rombel.model.pod import Amounts
from rombel.model.price_list import ListedOffer, ListedType
from rombel.model.study import FamilyRule, SoldType, Supply, Targets
from rombel.model.taints import read_taint
from rombel.model.traffic import Traffic
from rombel.plan import problem_of_study
from studies.beside import beside_of
from studies.models import Study, Variant, Workload

FIELDS = (
    "namespace",
    "name",
    "kind",
    "replicas",
    "cpu_millicores",
    "memory_bytes",
    "zone_skew",
    "most_per_node",
    "node_labels",
    "owner",
    "promised",
    "survive_zone",
    "labels",
    "interruptible_percent",
    "journey",
    "service",
    "together",
    "priority",
    "sizing",
    "pod",
    "partitioned",
    "budget",
    "provenance",
    "serving",
    "traffic",
    "position",
)

PLAIN = (
    "namespace", "name", "replicas", "zone_skew", "most_per_node", "node_labels", "owner", "promised", "survive_zone", "labels",
    "interruptible_percent", "journey", "service", "together", "priority", "serving",
)  # fmt: skip
NESTED: dict[str, TypeAdapter[Any]] = {
    "sizing": TypeAdapter(Sizing),
    "pod": TypeAdapter(PodDetail),
    "partitioned": TypeAdapter(Partitioned | None),
    "budget": TypeAdapter(Budget | None),
    "provenance": TypeAdapter(Provenance),
    "traffic": TypeAdapter(tuple[Traffic, ...]),
}
"""Fields kept as one value each."""


def demand_of(row: Workload) -> Demand:
    """Return the core's value of a row."""
    # Nested values are read by their types; what most rows have there is recognised without reading.
    return Demand(
        kind=WorkloadKind(row.kind),
        request=Amounts(row.cpu_millicores, row.memory_bytes),
        **{name: getattr(row, name) for name in PLAIN if name != "survive_zone"},
        survive_zone=Survival(row.survive_zone) if row.survive_zone else None,
        **{name: _nested(name, getattr(row, name)) for name in NESTED},
    )


_PLAIN_NESTED: dict[str, tuple[Any, Any]] = {
    name: (adapter.dump_python(value, mode="json"), value)
    for (name, adapter), value in zip(
        NESTED.items(), (Sizing(), PodDetail(), None, None, Provenance(), ()), strict=True
    )
}
"""What most rows have there, as stored and as a value; comparing is far quicker than reading."""


def _nested(name: str, stored: Any) -> Any:
    plain, value = _PLAIN_NESTED[name]
    return value if not stored or stored == plain else NESTED[name].validate_python(stored)


def fields_of(demand: Demand, position: int) -> dict[str, Any]:
    """Return the database fields of a core value."""
    plain = {name: getattr(demand, name) for name in PLAIN}
    return {
        **plain,
        "survive_zone": None if demand.survive_zone is None else str(demand.survive_zone),
        "kind": str(demand.kind),
        "cpu_millicores": demand.request.cpu_millicores,
        "memory_bytes": demand.request.memory_bytes,
        "node_labels": dict(demand.node_labels),
        "labels": dict(demand.labels),
        **{name: writer.dump_python(getattr(demand, name), mode="json") for name, writer in NESTED.items()},
        "position": position,
    }


Exchange = Callable[[Decimal], Decimal]


def exchange_for(study: Study, currency: str) -> Exchange:
    """Return what turns amounts of a currency into the study's, by the study's own rates."""
    return rates_of(study.rates, study.currency).exchange(currency, study.currency)


def supply_of(variant: Variant) -> Supply:
    """Return what the variant may buy, in its study's currency.

    Raises
    ------
    InputRefused
        When no region is chosen, or its currency has no rate.

    """
    if variant.region is None:
        raise refuse("supply.region", "supply.region", "No region is chosen.", "Choose a region under Supply.")
    return supply_in(variant, variant.region, tuple(variant.zones), variant.families)


def supply_in(variant: Variant, region: Region, zones: tuple[str, ...], families: Collection[str]) -> Supply:
    """Return what the variant could buy in a region now, of some families (none named: all)."""
    study = variant.study
    # Converted once, here: from the problem on there is one currency.
    convert = exchange_for(study, region.edition.currency)
    beside = beside_of(variant, region, convert)
    sold = sold_in(region)
    # No family named means all of them.
    chosen = (each for each in sold.types if not families or each.family in families)
    found = (
        _type(each, [own for own in sold.offers[each.name] if own.zone in zones], convert, beside) for each in chosen
    )
    types = tuple(each for each in found if each.offers)
    reservation = rules_of(present_rules()).reservation
    return Supply(study.currency, zones, types, reservation, on_zones(beside, zones), sold.quotas)


def supply_elsewhere(variant: Variant, region: Region) -> Supply:
    """Return what the variant could buy in all zones of a region that may be another one, of its families that are sold there."""
    sold = set(sold_families(region))
    return supply_in(variant, region, listed(region).zones, [name for name in variant.families if name in sold])


def _type(row: ListedType, on_sale: Sequence[ListedOffer], convert: Exchange, beside: Sequence[BesideCost]) -> SoldType:
    named = {LOCAL_DISK: row.disk_bytes, ACCELERATORS: row.accelerators, **row.resources}
    resources = {resource: amount for resource, amount in named.items() if amount}
    offers = (
        CoreOffer(each.zone, each.purchase, plain(convert(each.price_per_hour)), each.most_nodes) for each in on_sale
    )
    # What is minimised is what is paid: a node's price holds what it brings along.
    priced = tuple(with_beside(offer, beside, row.vcpu) for offer in offers)
    own = (Amounts(row.vcpu * 1000, row.memory_bytes), row.most_pods, row.architecture)
    return SoldType(row.name, *own, priced, row.most_volumes, resources, row.family)


def targets_of(variant: Variant) -> Targets:
    """Return what the variant promises and limits."""
    return Targets(
        survive_zone=Survival(variant.survive_zone),
        survive_nodes=NodeLoss(variant.lost_nodes, Survival(variant.survive_nodes)),
        most_pools=variant.most_pools,
        fewest_nodes_per_pool=variant.fewest_nodes_per_pool,
        fewest_nodes_per_zone=variant.fewest_nodes_per_zone,
        equal_zones=variant.equal_zones,
        purchases=frozenset(Purchase(name) for name in variant.purchases),
        most_pods_per_node=variant.most_pods_per_node,
        level=Level(variant.level),
        growth_percent=variant.study.growth_percent,
        families={name: family_rule(rule) for name, rule in variant.family_rules.items()},
        headroom=variant.headroom,
        headroom_replicas=variant.headroom_replicas,
        architecture=present_rules().architecture,
    )


def family_rule(stated: Mapping[str, Any]) -> FamilyRule:
    """Return a rule of a family from its stored form.

    Raises
    ------
    InputRefused
        When its taint is none.

    """
    taint = stated.get("taint") or ""
    return FamilyRule(
        read_taint(taint, "family_rules") if taint else None, stated.get("most_nodes"), stated.get("most_in_zone")
    )


def problem_of(variant: Variant) -> FitProblem:
    """Return the fit problem of a variant as it stands now; a study without demand has none."""
    return problem_of_study(supply_of(variant), targets_of(variant), asked_rows(variant))


def asked_rows(variant: Variant) -> list[Demand]:
    """Return every row of a variant's demand as it is sized; a study without demand is refused."""
    rows = sized_rows(variant)
    # Said here, where the study is known; the core would find a problem without workloads quite solvable.
    if not rows:
        fix = "Type rows under Demand, paste them, or bring a file in."
        raise refuse("demand.none", "demand", "There is no demand in this study yet.", fix)
    return rows


def sized_rows(variant: Variant) -> list[Demand]:
    """Return every row of a variant's demand, with the replicas and the ways to survive that it is sized to."""
    return with_sizes(demand_rows(variant.study), sizes_of(variant.sizes))


def sizes_of(stored: Mapping[str, Any]) -> dict[str, Size]:
    """Return stored sizes."""
    return {
        name: Size(entry["extra"], Survival(entry["how"]), entry.get("most_per_node"), entry.get("stands", {}))
        for name, entry in stored.items()
    }


def demand_rows(study: Study) -> list[Demand]:
    """Return every row of a study's demand."""
    return [demand_of(row) for row in study.workloads.all()]


def choices_of(variant: Variant) -> Choices:
    """Return what the variant chose, as far as house rules speak of it; no family chosen means all sold."""
    region = variant.region
    # No family chosen means all, and a house rule on families is then left by every one it does not name.
    families = variant.families or (list(sold_families(region)) if region else [])
    return Choices(
        fewest_nodes_per_pool=variant.fewest_nodes_per_pool,
        most_pods_per_node=variant.most_pods_per_node,
        most_pools=variant.most_pools,
        control_plane_members=variant.control_plane_members,
        purchases=frozenset(Purchase(name) for name in variant.purchases),
        families=frozenset(families),
        region=f"{region.edition.provider.name}/{region.name}" if region else "",
    )


def sold_families(region: Region) -> Iterable[str]:
    """Return the families that a region sells, by name."""
    return listed(region).families


def failures_of(study: Study) -> FailureData:
    """Return how often things fail and how long they are down: the house's figures, over them what the study states."""
    return rules_of(present_rules()).failures.overlaid(study.failures)


def dependencies_of(study: Study) -> list[Dependency]:
    """Return what the study's journeys need besides its workloads."""
    return [dependency(stated) for stated in study.dependencies]


def dependency(stated: Mapping[str, Any]) -> Dependency:
    """Return a dependency from its stored form.

    Raises
    ------
    InputRefused
        When its availability is none.

    """
    share = share_down(stated["availability"])
    origin = Origin(stated.get("origin") or Origin.STATED)
    failure = failure_of(share, float(stated["repair_s"]), origin, stated.get("why", ""))
    return Dependency(stated["name"], Reach(stated["reach"]), failure, stated.get("zone", ""))


def percent_of(text: str) -> Decimal:
    """Return an availability in percent from its text, above 0 and up to 100.

    Raises
    ------
    InputRefused
        When it is none.

    """
    try:
        value = Decimal(text.strip().removesuffix("%").strip().replace(",", "."))
    except InvalidOperation:
        value = Decimal(0)
    if not (value.is_finite() and 0 < value <= 100):
        reason = f"'{text[:40]}' is no availability."
        raise refuse("promise.percent", "", reason, "Write percent above 0, such as 99.95.")
    return value


def share_down(text: str) -> float:
    """Return the share of time that an availability in percent, as text, leaves to be down."""
    return float((100 - percent_of(text)) / 100)


def allowed_minutes(target: str) -> float:
    """Return the minutes a month that a target in percent, as text, lets a journey be down."""
    return budget_minutes(share_down(target))


def journeys_of(study: Study, rows: Iterable[Demand]) -> list[Journey]:
    """Return the study's journeys; those that only rows name come last, in series and without a target (0 %).

    A stated journey without a chain is the series of the rows that name it.
    """
    members: dict[str, list[str]] = {}
    for row in rows:
        if row.journey and row.kind is not WorkloadKind.DAEMON:
            members.setdefault(row.journey, []).append(row.full_name)
    found = []
    for stated in study.journeys:
        chain = read_chain(stated["chain"]) if stated["chain"] else _series(members.get(stated["name"], []))
        members.pop(stated["name"], None)
        if chain is not None:
            found.append(Journey(stated["name"], percent_of(stated["target"]), chain))
    for name, links in members.items():
        if (chain := _series(links)) is not None:
            found.append(Journey(name, Decimal(0), chain))
    return found


def _series(names: list[str]) -> Part | None:
    links = tuple(Block(name) for name in names)
    return None if not links else links[0] if len(links) == 1 else Among(len(links), links)


def plane_of(variant: Variant) -> Plane:
    """Return where the control plane's members stand, and what its tier promises of its API."""
    region = variant.region
    tier = listed(region).tier(variant.tier) if region else None
    promised = None if tier is None or tier.uptime is None else float(1 - tier.uptime)
    spans = variant.control_plane_members > 1 if tier is None else tier.spans_zones
    return Plane(variant.control_plane_members, tuple(variant.zones), spans, promised)

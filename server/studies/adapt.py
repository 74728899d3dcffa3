"""Between database rows and the core's values; nobody else mentions both."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from catalogue.models import Offer
from rombel.errors import refuse
from rombel.model.fit_problem import FitProblem, Purchase, Survival
from rombel.model.fit_problem import Offer as CoreOffer
from rombel.model.pod import Amounts
from rombel.model.study import Demand, SoldType, Supply, Targets, WorkloadKind
from rombel.plan import compile_problem
from studies.models import Variant, Workload

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
    "position",
)


def demand_of(row: Workload) -> Demand:
    """Return the core's value of a row."""
    return Demand(
        namespace=row.namespace,
        name=row.name,
        kind=WorkloadKind(row.kind),
        replicas=row.replicas,
        request=Amounts(row.cpu_millicores, row.memory_bytes),
        zone_skew=row.zone_skew,
        most_per_node=row.most_per_node,
        node_labels=row.node_labels,
        owner=row.owner,
        promised=row.promised,
    )


def fields_of(demand: Demand, position: int) -> dict[str, Any]:
    """Return the database fields of a core value."""
    return {
        "namespace": demand.namespace,
        "name": demand.name,
        "kind": str(demand.kind),
        "replicas": demand.replicas,
        "cpu_millicores": demand.request.cpu_millicores,
        "memory_bytes": demand.request.memory_bytes,
        "zone_skew": demand.zone_skew,
        "most_per_node": demand.most_per_node,
        "node_labels": dict(demand.node_labels),
        "owner": demand.owner,
        "promised": demand.promised,
        "position": position,
    }


def supply_of(variant: Variant) -> Supply:
    """Return what the variant may buy.

    Raises
    ------
    InputRefused
        When no region is chosen.

    """
    if variant.region is None:
        raise refuse("supply.region", "supply.region", "No region is chosen.", "Choose a region under Supply.")
    offers = (
        Offer.objects.filter(zone__region=variant.region)
        .select_related("zone", "instance_type")
        .order_by("instance_type__family", "instance_type__vcpu", "zone__position")
    )
    return Supply(variant.region.provider.currency, tuple(variant.zones), tuple(_types(offers)))


def _types(offers: Iterable[Offer]) -> list[SoldType]:
    sold: dict[int, list[CoreOffer]] = {}
    types = {}
    for offer in offers:
        types[offer.instance_type_id] = offer.instance_type
        price = offer.price_per_hour.normalize()
        entry = CoreOffer(offer.zone.name, Purchase(offer.purchase), price, offer.most_nodes)
        sold.setdefault(offer.instance_type_id, []).append(entry)
    return [
        SoldType(
            name=entry.name,
            capacity=Amounts(entry.vcpu * 1000, entry.memory_bytes),
            most_pods=entry.most_pods,
            architecture=entry.architecture,
            offers=tuple(sold[key]),
        )
        for key, entry in types.items()
    ]


def targets_of(variant: Variant) -> Targets:
    """Return what the variant promises and limits."""
    return Targets(
        survive_zone=Survival(variant.survive_zone),
        most_pools=variant.most_pools,
        fewest_nodes_per_pool=variant.fewest_nodes_per_pool,
        most_pods_per_node=variant.most_pods_per_node,
    )


def problem_of(variant: Variant) -> FitProblem:
    """Return the fit problem of a variant as it stands now."""
    rows = [demand_of(row) for row in variant.study.workloads.all()]
    return compile_problem(supply_of(variant), targets_of(variant), rows)

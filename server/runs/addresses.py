"""The address plan of a variant: nodes that may run at once in each zone, and the ranges that carry them."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass

from accounts.action import Missing
from catalogue.models import InstanceType
from rombel.addressing import (
    Addresses,
    AddressPlan,
    RegionNeed,
    TodayCheck,
    ZoneNeed,
    address_plan,
    check_today,
)
from rombel.model.demand import Level
from rombel.model.fit_problem import Survival
from rombel.model.fit_solution import FitSolution
from runs.models import Fit
from runs.queries import latest_plan
from runs.questions.pool_limits import Origin, PoolLimits, pool_limits
from runs.stored import stored_solution
from studies.addresses import addresses_of, stated_addresses, today_of
from studies.models import Variant


@dataclass(frozen=True, slots=True)
class ZoneNodes:
    """Why so many nodes need addresses in a zone.

    Parameters
    ----------
    planned
        Nodes of the plan.
    most, grown_most
        The most that may run, now and once demand has grown.
    surge
        Nodes that an upgrade adds, where they are not among the most.
    after_loss
        Nodes that are bought here when another zone is lost.

    """

    zone: str
    planned: int
    most: int
    grown_most: int
    surge: int
    after_loss: int

    @property
    def need(self) -> ZoneNeed:
        """Return the sums."""
        beside = self.surge + self.after_loss
        return ZoneNeed(self.zone, self.most + beside, max(self.most, self.grown_most) + beside)


@dataclass(frozen=True, slots=True)
class AddressesTold:
    """The address plan of a variant's newest plan; ``plans`` is empty where no parent range is stated."""

    fit: Fit
    stated: Addresses | None
    limits_from: Origin
    zones: Sequence[ZoneNodes]
    most_pods: int
    plans: Sequence[AddressPlan]
    today: TodayCheck | None


def told_addresses(variant: Variant) -> AddressesTold:
    """Return the address plan of a variant.

    Raises
    ------
    Missing
        When there is no plan.

    """
    fit = latest_plan(variant)
    if fit is None:
        raise Missing(f"Variant {variant.pk} has no plan, so nobody knows how many nodes need addresses.")
    return addresses_for(variant, fit, pool_limits(variant))


def addresses_for(variant: Variant, fit: Fit, limits: PoolLimits) -> AddressesTold:
    """Return the address plan of a variant for a plan of it, under its limits."""
    solution = stored_solution(fit)
    zones = tuple(_zone_nodes(variant, solution, limits))
    need = RegionNeed(tuple(zone.need for zone in zones), _most_pods(variant, solution))
    stated, today = addresses_of(variant.addresses, variant.region), today_of(variant.addresses)
    plans = [] if stated is None else address_plan(stated, need)
    checked = check_today(stated, need, today) if stated is not None and today else None
    return AddressesTold(fit, stated, limits.origin, zones, need.most_pods, plans, checked)


def _zone_nodes(variant: Variant, solution: FitSolution, limits: PoolLimits) -> list[ZoneNodes]:
    planned: Counter[str] = Counter()
    pools: dict[str, set[tuple[str, str]]] = {}
    for batch in solution.nodes:
        planned[batch.zone] += batch.count
        pools.setdefault(batch.zone, set()).add((batch.instance_type, str(batch.purchase)))
    most, grown = _most(limits, planned, variant.study.growth_percent)
    stated_surge = stated_addresses(variant.addresses)["surge"]
    zones = [zone for zone in variant.zones if most[zone] or planned[zone]]
    after = {
        zone: max((-(-planned[lost] // max(1, len(zones) - 1)) for lost in zones if lost != zone), default=0)
        for zone in zones
    }
    return [
        ZoneNodes(
            zone,
            planned[zone],
            most[zone],
            grown[zone],
            # Limits of the design of levels hold the surge already.
            0 if limits.origin is Origin.LEVELS else stated_surge * max(1, len(pools.get(zone, ()))),
            after[zone] if variant.survive_zone == Survival.GROWING else 0,
        )
        for zone in zones
    ]


def _most(limits: PoolLimits, planned: Counter[str], growth_percent: int) -> tuple[Counter[str], Counter[str]]:
    """Return by zone the most nodes now and once demand has grown: of the limits, where there are any, at least those planned."""
    most: Counter[str] = Counter()
    grown: Counter[str] = Counter()
    if limits.origin is Origin.LEVELS and limits.design is not None:
        for entry in limits.design.limits:
            at_peak = max((nodes for level, nodes in entry.nodes.items() if level != Level.GROWN), default=0)
            # What the limit holds above its busiest level is the surge.
            surge = entry.most - max(entry.nodes.values(), default=0)
            most[entry.zone] += at_peak + surge
            grown[entry.zone] += entry.most
    elif limits.origin is Origin.STATED:
        for (_, _, zone), own in limits.ranges.items():
            most[zone] += own.most
    for zone, count in planned.items():
        most[zone] = max(most[zone], count)
        if limits.origin is not Origin.LEVELS:
            grown[zone] = -(-most[zone] * (100 + growth_percent) // 100)
    return most, grown


def _most_pods(variant: Variant, solution: FitSolution) -> int:
    """Return the most pods on any node that the plan uses."""
    if variant.region is None:
        return 0
    used = {batch.instance_type for batch in solution.nodes}
    sold = InstanceType.objects.filter(edition=variant.region.edition_id, name__in=used).values_list(
        "most_pods", flat=True
    )
    return min(max(sold, default=0), variant.most_pods_per_node or max(sold, default=0))

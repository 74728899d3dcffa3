"""The fit problem that supply, targets and demand make: each group of rows a unit, each type what a node of it has left for them."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from rombel.errors import InputRefused, refuse
from rombel.model.demand import LOCAL_DISK, Demand, PodDetail, Volume, WorkloadKind, joined_name, parted_name
from rombel.model.demand_faults import request_faults
from rombel.model.fit_problem import (
    FitProblem,
    InstanceType,
    Limits,
    NodeLoss,
    Quota,
    Survival,
    Vector,
    Workload,
)
from rombel.model.levels import at_level, levels_of, sheet_faults
from rombel.model.node import waterfall
from rombel.model.pod import total
from rombel.model.study import (
    HEADROOM,
    VOLUMES,
    ZONE_LABEL,
    SoldType,
    Supply,
    Targets,
    for_sale,
    matches,
    most_pods,
    with_architecture,
)

RESOURCES = ("cpu_millicores", "memory_bytes", "pods")


UNSTATED = (VOLUMES, LOCAL_DISK)
"""A type that does not say what it has of these is no limit: it has as much as all replicas ask for together, twice over for those that
stand on top; of any other named resource it then has nothing."""


def compile_problem(supply: Supply, targets: Targets, demand: Sequence[Demand]) -> FitProblem:
    """Return the fit problem of a variant.

    Daemon workloads are taken from what a node can use: those without labels from every node, the others from
    the types their labels name.

    Raises
    ------
    InputRefused
        When no zone or no offer is chosen, or the demand has faults.

    """
    if not supply.zones:
        raise refuse("supply.zones", "supply.zones", "No zone is chosen.", "Choose at least one zone under Supply.")
    faults = [*sheet_faults(demand, targets.growth_percent), *request_faults(demand)]
    if faults:
        raise InputRefused(faults)
    daemons = [row for row in demand if row.kind is WorkloadKind.DAEMON]
    # Daemons with labels run on some types only, and are taken off those types' capacity instead.
    everywhere = [row for row in daemons if not row.node_labels]
    supply = replace(supply, types=tuple(for_sale(supply, targets)))
    demand = [with_architecture(row, targets.architecture) for row in demand]
    if not supply.types:
        raise refuse(
            "supply.offers",
            "supply.zones",
            f"Nothing is offered {' or '.join(sorted(targets.purchases))} in the chosen zones.",
            "Choose other zones, families, kinds of purchase or a region.",
        )
    named = sorted({name for row in demand for name in row.pod.resources})
    resources = (*RESOURCES, *([VOLUMES] if any(row.pod.volumes for row in demand) else []), *named)
    # A type that does not state its volumes or disk must not be the reason why there is no fit.
    enough = _enough(demand, resources)
    types = tuple(_instance_type(entry, supply, targets, daemons, resources, enough) for entry in supply.types)
    # Types whose own reserves leave nothing carry nothing.
    types = tuple(entry for entry in types if min(entry.allocatable[: len(RESOURCES)]) > 0)
    if not types:
        reason = "Every instance type on offer keeps more for itself than it has."
        raise refuse("node.reservation", "supply.reservation", reason, "Lower the reservation rule.")
    units = _units([row for row in demand if row.kind is not WorkloadKind.DAEMON], targets)
    eligible = _eligible([unit.row for unit in units], supply, targets)
    placed = {member: unit.row.name for unit in units for member, _ in parted_name(unit.row.name)}
    workloads = [unit.workload(supply, eligible[index], resources, placed) for index, unit in enumerate(units)]
    # Free room is a workload of its own, so that every rule and proof treats it like the rest.
    if targets.headroom_replicas and workloads:
        workloads.append(_room_of_the_largest(workloads, types, supply.zones, targets.headroom_replicas))
    return FitProblem(
        currency=supply.currency,
        zones=supply.zones,
        resources=resources,
        daemon=_sum_of(everywhere, resources),
        instance_types=types,
        workloads=tuple(workloads),
        survive_zone=targets.survive_zone,
        survive_nodes=targets.survive_nodes,
        limits=Limits(
            most_pools=targets.most_pools,
            fewest_nodes_per_pool=targets.fewest_nodes_per_pool,
            fewest_nodes_per_zone=targets.fewest_nodes_per_zone,
            equal_zones=targets.equal_zones,
            quotas=tuple(_quotas(supply, targets, {entry.name for entry in types})),
            headroom={name: percent for name, percent in targets.headroom.items() if percent},
        ),
        zone_charges={zone: supply.zone_charges[zone] for zone in supply.zones if zone in supply.zone_charges},
    )


def asked_for(problem: FitProblem) -> tuple[Workload, ...]:
    """Return the workloads that somebody asks for: all but the one that only keeps room."""
    return tuple(entry for entry in problem.workloads if entry.name != HEADROOM)


def _room_of_the_largest(
    workloads: Sequence[Workload], types: Sequence[InstanceType], zones: Sequence[str], each: int
) -> Workload:
    """Return replicas that stand for free room: so many in every zone, as large as the largest workload's.

    The largest takes the largest share of what some type has of some resource. Fit, bound and checker treat the room as they treat any
    workload; it is not promised to survive a loss, so what a zone keeps is never meant for what another zone loses.
    """
    most = [max(entry.allocatable[index] for entry in types) for index in range(len(types[0].allocatable))]

    def share(entry: Workload) -> tuple[float, Vector, str]:
        shares = (asked / have if have else 0.0 for asked, have in zip(entry.request, most, strict=True))
        # By share of the largest node, so that CPU and memory can be compared.
        return max(shares), entry.request, entry.name

    largest = max(workloads, key=share)
    sold = {
        o.zone for t in types if largest.instance_types is None or t.name in largest.instance_types for o in t.offers
    }
    there = [zone for zone in zones if zone in sold]
    return Workload(
        name=HEADROOM,
        replicas=each * len(there),
        request=largest.request,
        instance_types=largest.instance_types,
        zones=frozenset(there) if len(there) < len(zones) else None,
        zone_skew=1,
        interruptible_share=0.0,
        survive_zone=Survival.NONE,
        survive_nodes=NodeLoss(),
    )


def _quotas(supply: Supply, targets: Targets, known: Collection[str]) -> Iterator[Quota]:
    """Yield the most nodes of families, in the region and in each zone, and the quotas of the account."""
    for listed in supply.quotas:
        own = [entry for entry in supply.types if entry.name in known and listed.family in ("", entry.family)]
        if own and (not listed.zone or listed.zone in supply.zones):
            yield Quota(
                listed.name,
                listed.most,
                instance_types=frozenset(entry.name for entry in own),
                zones=frozenset({listed.zone}) if listed.zone else None,
                purchase=listed.purchase,
                **_taken(own, listed.unit),
            )
    for family, rule in sorted(targets.families.items()):
        names = frozenset(entry.name for entry in supply.types if entry.family == family and entry.name in known)
        # Quotas of families count nodes over all of the family's types.
        if names and rule.most_nodes is not None:
            yield Quota(f"{family} in the region", rule.most_nodes, instance_types=names)
        if names and rule.most_in_zone is not None:
            for zone in supply.zones:
                yield Quota(f"{family} in {zone}", rule.most_in_zone, instance_types=names, zones=frozenset({zone}))


def _taken(types: Iterable[SoldType], unit: str) -> dict[str, Any]:
    """Return what a node of each type takes of a quota; of vCPUs all that it has, before anything is kept of them."""
    if unit == "nodes":
        return {}
    return {"takes": {entry.name: entry.capacity.cpu_millicores // 1000 for entry in types}, "counted": "vCPU"}


@dataclass(frozen=True, slots=True)
class _Unit:
    """What is placed as one: a workload's replica, or one replica of each member of a group (or several of some)."""

    row: Demand
    pods: int
    must_stand: int | None = None

    def workload(
        self, supply: Supply, types: frozenset[str] | None, resources: Sequence[str], placed: Mapping[str, str]
    ) -> Workload:
        """Return the unit as the problem states it; ``placed`` says under which name each workload is placed."""
        row = self.row
        zone = row.node_labels.get(ZONE_LABEL)
        # A unit is as many pods as it places together.
        has = _amounts_of(row) | {"pods": self.pods}
        return Workload(
            name=row.name,
            replicas=row.replicas,
            request=tuple(has.get(name, 0) for name in resources),
            instance_types=types,
            zones=None if zone is None else frozenset({zone} & set(supply.zones)),
            most_per_node=row.most_per_node,
            zone_skew=row.zone_skew,
            interruptible_share=row.interruptible_percent / 100,
            survive_zone=row.survive_zone if row.promised else Survival.NONE,
            survive_nodes=None if row.promised else NodeLoss(),
            stands=self._stands(supply),
            must_stand=self.must_stand,
            bound_to_zone=row.pod.bound_to_zone,
            node_skew=row.pod.node_skew,
            zone_skew_wish=row.pod.zone_skew_wish,
            # Apart from whatever stands for the other workload: alone, or in a group.
            apart=frozenset(placed[name] for name in row.pod.apart if name in placed) - {row.name},
        )

    def _stands(self, supply: Supply) -> Mapping[str, int]:
        """Return the counts by zone that the unit was sized to, where they are those of this level and of zones in use."""
        stands, zones = self.row.stands, len(supply.zones)
        total = sum(stands.values())

        def left(count: int) -> int:
            return count - (-(-count // zones) if self.row.survive_zone is Survival.STANDING else 0)

        def serves(count: int) -> bool:
            must = self.row.replicas if self.must_stand is None else self.must_stand
            return count >= self.row.replicas and left(count) >= must

        # Counts by zone are kept only while they are just what is needed; of another level they say nothing.
        fewest = serves(total) and not serves(total - 1)
        return stands if set(stands) <= set(supply.zones) and total and fewest else {}


def _units(rows: Sequence[Demand], targets: Targets) -> list[_Unit]:
    """Return what is placed at the level: alone by itself, a group as one, named by all its members."""
    members: dict[str, list[Demand]] = {}
    for row in rows:
        members.setdefault(row.together or f"/{row.full_name}", []).append(row)
    return [_unit(group, targets) for group in members.values()]


def _unit(group: Sequence[Demand], targets: Targets) -> _Unit:
    """Return the unit of a group, as many as its smallest member has replicas.

    Raises
    ------
    InputRefused
        When replicas are no multiples of each other, or labels contradict each other.

    """
    smallest = min(group, key=lambda row: row.replicas)
    # How many of each member go with one of the smallest.
    times = [row.replicas // max(smallest.replicas, 1) for row in group]
    units = at_level([smallest], targets.level, targets.growth_percent)[0].replicas
    # Must-serve counts of members, in units of the group, rounded up.
    serving = [
        -(-row.serving_of(count * units) // max(count, 1)) if row.serving else units
        for row, count in zip(group, times, strict=True)
    ]
    units += max(-(-row.extra // max(count, 1)) for row, count in zip(group, times, strict=True))
    name = joined_name([(row.full_name, count) for row, count in zip(group, times, strict=True)])
    if any(row.replicas != count * smallest.replicas for row, count in zip(group, times, strict=True)):
        reason = f"{name} share nodes, but their replicas are no multiples of each other."
        raise refuse("demand.together", "demand", reason, "Give every member a multiple of the smallest's replicas.")
    labels: dict[str, str] = {}
    for row in group:
        if any(labels.get(key, value) != value for key, value in row.node_labels.items()):
            reason = f"{name} share nodes, but their node labels contradict each other."
            raise refuse("demand.together", "demand", reason, "Give all members the same node labels.")
        labels.update(row.node_labels)
    # The strictest member limits the unit.
    mosts = [row.most_per_node // count for row, count in zip(group, times, strict=True) if row.most_per_node and count]
    if 0 in mosts:
        reason = f"{name} share nodes, but one of them needs more replicas on a node than it allows."
        raise refuse("demand.together", "demand", reason, "Allow it more replicas on one node.")
    parts = [part for row, count in zip(group, times, strict=True) for part in [row.request] * count]
    volumes = [volume for row, count in zip(group, times, strict=True) for volume in row.pod.volumes * count]
    row = replace(
        smallest,
        name=name,
        replicas=units,
        request=total(parts),
        node_labels=labels,
        most_per_node=min(mosts, default=None),
        zone_skew=min((row.zone_skew for row in group if row.zone_skew is not None), default=None),
        interruptible_percent=min(row.interruptible_percent for row in group),
        pod=_joined([row.pod for row in group], times, volumes),
    )
    must = max(serving, default=units)
    return _Unit(row, sum(times), must if must < units else None)


def _joined(pods: Sequence[PodDetail], times: Sequence[int], volumes: Sequence[Volume]) -> PodDetail:
    """Return the detail of pods placed as one: their resources together, the strictest of their rules."""
    resources: Counter[str] = Counter()
    for pod, count in zip(pods, times, strict=True):
        resources.update({name: count * amount for name, amount in pod.resources.items()})
    return replace(
        pods[0],
        volumes=tuple(volumes),
        resources=dict(resources),
        # A group tolerates only what all of its members tolerate.
        tolerations=tuple(name for name in pods[0].tolerations if all(name in pod.tolerations for pod in pods)),
        node_skew=min((pod.node_skew for pod in pods if pod.node_skew is not None), default=None),
        zone_skew_wish=min((pod.zone_skew_wish for pod in pods if pod.zone_skew_wish is not None), default=None),
        apart=tuple(sorted({name for pod in pods for name in pod.apart})),
    )


def _amounts_of(row: Demand) -> dict[str, int]:
    """Return by name what one replica requests of every resource."""
    own = (row.request.cpu_millicores, row.request.memory_bytes, 1, len(row.pod.volumes))
    return dict(zip((*RESOURCES, VOLUMES), own, strict=True)) | dict(row.pod.resources)


def _sum_of(rows: Sequence[Demand], resources: Sequence[str]) -> Vector:
    whole = [_amounts_of(row) for row in rows]
    return tuple(sum(amounts.get(name, 0) for amounts in whole) for name in resources)


def _enough(demand: Sequence[Demand], resources: Sequence[str]) -> dict[str, int]:
    """Return what a node has of what its type does not state."""
    # Twice the replicas at double growth: more than any answer places.
    counts = [(row, row.extra + max(count.replicas for count in levels_of(row, 100).values())) for row in demand]
    asked = {
        name: sum((2 * count + 1) * _amounts_of(row).get(name, 0) for row, count in counts)
        for name in UNSTATED
        if name in resources
    }
    return {name: max(1, amount) for name, amount in asked.items()}


def _instance_type(
    entry: SoldType,
    supply: Supply,
    targets: Targets,
    daemons: Sequence[Demand],
    resources: Sequence[str],
    unstated: Mapping[str, int],
) -> InstanceType:
    """Return the type as the problem states it; daemon workloads with labels are already taken from it."""
    fall = waterfall(entry.capacity, most_pods(entry, targets), supply.reservation)
    stated = dict(zip(RESOURCES, fall.allocatable, strict=True)) | dict(entry.resources)
    if entry.most_volumes is not None:
        stated[VOLUMES] = entry.most_volumes
    has = [stated.get(name, unstated.get(name, 0)) for name in resources]
    own = _sum_of([row for row in daemons if row.node_labels and matches(row, entry.labels())], resources)
    return InstanceType(
        name=entry.name,
        allocatable=tuple(max(0, have - kept) for have, kept in zip(has, own, strict=True)),
        offers=entry.offers,
    )


def _eligible(rows: Sequence[Demand], supply: Supply, targets: Targets) -> dict[int, frozenset[str] | None]:
    """Return, by the row's place, the types whose nodes carry its labels and only taints it tolerates; None: all.

    Selectors and tolerations are read once each.
    """
    found: dict[object, frozenset[str]] = {}
    result: dict[int, frozenset[str] | None] = {}
    tainted = {name: rule.taint for name, rule in targets.families.items() if rule.taint is not None}
    for index, row in enumerate(rows):
        # The zone's label is a rule on zones, and no property of a type.
        selector = frozenset((key, value) for key, value in row.node_labels.items() if key != ZONE_LABEL)
        kept_off = {name for name, taint in tainted.items() if not taint.tolerated_by(row.pod.tolerations)}
        kept_off &= {entry.family for entry in supply.types}
        key = (selector, frozenset(kept_off))
        # Rows that ask for the same labels and tolerate the same share one set.
        if (selector or kept_off) and key not in found:
            fitting = (entry for entry in supply.types if entry.family not in kept_off and matches(row, entry.labels()))
            found[key] = frozenset(entry.name for entry in fitting)
        result[index] = found[key] if selector or kept_off else None
    return result

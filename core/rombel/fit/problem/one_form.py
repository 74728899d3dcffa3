"""Step 1. One form for all problems that differ only in what cannot matter: order of rows, names, resources that nobody requests."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import replace
from typing import TypeVar

from rombel.model.fit_problem import FitProblem, InstanceType, Workload

T = TypeVar("T")


def in_one_form(problem: FitProblem, keep: Collection[str] = ()) -> FitProblem:
    """Return the problem with types and workloads sorted by what they are, and without resources that nobody requests.

    Resources named in ``keep`` or by a quota stay. Types on which the daemon workloads find no room are left out, since no node of
    theirs can run.
    """
    # A type whose own reserves are larger than its capacity can carry nothing.
    types = tuple(entry for entry in problem.instance_types if min(problem.usable(entry)) >= 0)
    counted = {quota.resource for quota in problem.limits.quotas} | set(keep)
    # One resource at least, so that arrays have a width.
    asked = [
        index
        for index, name in enumerate(problem.resources)
        if name in counted or any(w.replicas and w.request[index] for w in problem.workloads)
    ] or [0]

    def only(values: tuple[T, ...]) -> tuple[T, ...]:
        return tuple(values[index] for index in asked)

    # Zones keep the planner's order: it is theirs to choose, and it is named in the answer.
    zones = {name: index for index, name in enumerate(problem.zones)}
    types = tuple(
        replace(
            entry,
            allocatable=only(entry.allocatable),
            offers=tuple(sorted(entry.offers, key=lambda offer: (zones[offer.zone], offer.purchase))),
        )
        for entry in types
    )
    types = tuple(sorted(types, key=lambda entry: _type_key(entry, zones)))
    index = {entry.name: number for number, entry in enumerate(types)}
    workloads = tuple(replace(w, request=only(w.request)) for w in problem.workloads)
    return replace(
        problem,
        resources=only(problem.resources),
        daemon=only(problem.daemon),
        instance_types=types,
        workloads=tuple(sorted(workloads, key=lambda w: _workload_key(w, index, zones))),
    )


def _type_key(entry: InstanceType, zones: dict[str, int]) -> tuple[object, ...]:
    offers = tuple(
        (zones[o.zone], str(o.purchase), o.price_per_hour, -1 if o.most_nodes is None else o.most_nodes, o.fewest_nodes)
        for o in entry.offers
    )
    return entry.allocatable, offers


def _workload_key(workload: Workload, types: dict[str, int], zones: dict[str, int]) -> tuple[object, ...]:
    # Sets of names are compared by place, as names must not decide the order.
    def places(names: frozenset[str] | None, known: dict[str, int]) -> tuple[int, ...]:
        return (-1,) if names is None else tuple(sorted(known[name] for name in names if name in known))

    def number(value: int | None) -> int:
        return -1 if value is None else value

    loss = workload.survive_nodes
    return (
        workload.request,
        workload.replicas,
        places(workload.instance_types, types),
        places(workload.zones, zones),
        tuple(
            number(v)
            for v in (
                workload.most_per_node,
                workload.zone_skew,
                workload.node_skew,
                workload.zone_skew_wish,
                workload.must_stand,
            )
        ),
        (workload.equal_zones, workload.bound_to_zone, workload.interruptible_share, len(workload.apart)),
        str(workload.survive_zone),
        ("", 0) if loss is None else (str(loss.how), loss.count),
        tuple(sorted((zones[zone], count) for zone, count in workload.stands.items() if zone in zones)),
    )

"""Why there is no fit, in the planner's terms: which workload, which resource, the largest offered, where."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from rombel.fit.instance import Floats, Instance, Ints
from rombel.model.fit_problem import FitProblem, InstanceType, Offer, Survival, Vector, Workload
from rombel.model.quantity import show_cpu, show_memory


@dataclass(frozen=True, slots=True)
class _Allowed:
    """The offers that a workload may run on, (N, R) what is usable on a node of each, and their zones."""

    offers: tuple[tuple[InstanceType, Offer], ...]
    room: Ints
    zones: frozenset[str]


def plain_reasons(problem: FitProblem) -> Iterator[str]:
    """Yield what makes a fit impossible and can be seen from one workload alone."""
    usable = {entry.name: problem.usable(entry) for entry in problem.instance_types}
    known: dict[tuple[object, ...], _Allowed] = {}
    for workload in problem.workloads:
        if workload.replicas:
            key = (workload.instance_types, workload.zones, workload.interruptible_share > 0)
            if key not in known:
                known[key] = _allowed(problem, workload, usable)
            yield from _workload_reasons(problem, workload, known[key])


def _allowed(problem: FitProblem, workload: Workload, usable: Mapping[str, Vector]) -> _Allowed:
    offers = tuple(
        (entry, offer)
        for entry in problem.instance_types
        for offer in entry.offers
        if offer.most_nodes != 0 and problem.may_run(workload, entry, offer)
    )
    room = np.array([usable[entry.name] for entry, _ in offers], np.int64).reshape(-1, len(problem.resources))
    return _Allowed(offers, room, frozenset(offer.zone for _, offer in offers))


def show_amount(resource: str, amount: int) -> str:
    """Return an amount with its unit: CPU and memory as quantities, others as a number."""
    if resource == "cpu_millicores":
        return f"{show_cpu(amount)} CPU"
    if resource == "memory_bytes":
        return f"{show_memory(amount)} memory"
    return f"{amount} {resource}"


def _workload_reasons(problem: FitProblem, workload: Workload, allowed: _Allowed) -> Iterator[str]:
    if not allowed.offers:
        zones = ", ".join(sorted(workload.zones or problem.zones))
        yield f"{workload.name}: no offer in {zones} is one it may run on. Allow more instance types or zones."
        return
    fits = (allowed.room >= np.array(workload.request)).all(axis=1) & (allowed.room >= 0).all(axis=1)
    fits &= workload.most_per_node != 0
    fitting = {allowed.offers[place][1].zone for place in np.flatnonzero(fits)}
    if not fitting:
        yield _too_large(problem, workload, allowed.offers)
        return
    yield from _zone_reasons(problem, workload, fitting, allowed.zones)


def _too_large(problem: FitProblem, workload: Workload, allowed: Sequence[tuple[InstanceType, Offer]]) -> str:
    """Return the sentence for a replica that is larger than every node it may run on."""
    for place, resource in enumerate(problem.resources):
        entry, offer = max(allowed, key=lambda pair: (problem.usable(pair[0])[place], pair[0].name))
        largest = problem.usable(entry)[place]
        if workload.request[place] > largest:
            return (
                f"{workload.name}: one replica requests {show_amount(resource, workload.request[place])}; the largest "
                f"node it may run on, {entry.name} in {offer.zone}, has {show_amount(resource, max(largest, 0))} usable. "
                "Lower the request or allow a larger instance type."
            )
    return (
        f"{workload.name}: no single instance type has room for one replica in every resource at once. "
        "Lower the request or allow another instance type."
    )


def _zone_reasons(problem: FitProblem, workload: Workload, fitting: set[str], domains: frozenset[str]) -> Iterator[str]:
    promise, count = problem.promise_of(workload), len(fitting)
    if promise is not Survival.NONE and count < 2:
        yield (
            f"{workload.name}: it can run in {', '.join(sorted(fitting))} only, so losing that zone cannot be survived. "
            "Allow a second zone or drop the promise for it."
        )
        return
    if promise is Survival.LANDING and workload.bound_to_zone:
        yield (
            f"{workload.name}: its replicas are bound to their zone, by a volume say, and cannot land in another one. "
            "Let enough of them stand, or drop the promise for it."
        )
        return
    skew = 0 if workload.equal_zones else workload.zone_skew
    if skew is None:
        return
    missing = sorted(domains - fitting)
    if missing and workload.replicas > skew * count:
        yield (
            f"{workload.name}: nothing offered in {', '.join(missing)} has room for a replica, so the spread rule "
            f"(at most {skew} apart) allows {skew * count} replicas, not {workload.replicas}."
        )
    elif skew == 0 and promise is not Survival.STANDING and workload.replicas % count:
        yield (
            f"{workload.name}: {workload.replicas} replicas cannot stand in equal counts over {count} zones. "
            f"Ask for a multiple of {count} or allow a difference of 1."
        )


def room_reasons(instance: Instance, unplaced: Floats) -> Iterator[str]:
    """Yield one sentence for each class that finds no room although each replica alone would fit."""
    limits = instance.problem.limits
    causes = []
    if (instance.quota < 10**9).any():
        causes.append("the quotas")
    if limits.most_pools is not None:
        causes.append(f"at most {limits.most_pools} pools")
    if instance.lands.any():
        causes.append("room for the replicas of a lost zone")
    cause = " and ".join(causes) or "the rules together"
    for i in np.flatnonzero(unplaced > 1e-6):
        workload = instance.workloads[int(i)]
        missing = int(np.ceil(unplaced[i] - 1e-6))
        yield f"{workload.name}: {missing} of {instance.total[i]} replicas find no room under {cause}."

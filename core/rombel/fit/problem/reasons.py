"""Step 2. Why there is no fit, in the planner's terms: which workload, which resource, the largest offered, where."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from rombel.fit.problem.instance import UNLIMITED, Instance, Ints
from rombel.model.fit_problem import FitProblem, InstanceType, Offer, Purchase, Survival, Vector, Workload
from rombel.model.quantity import show_cpu, show_memory


@dataclass(frozen=True, slots=True)
class _Allowed:
    """The offers that a workload may run on, and (N, R) what is usable on a node of each."""

    offers: tuple[tuple[InstanceType, Offer], ...]
    room: Ints


def plain_reasons(problem: FitProblem) -> Iterator[str]:
    """Yield what makes a fit impossible and can be seen from one workload alone."""
    usable = {entry.name: problem.usable(entry) for entry in problem.instance_types}
    # Many workloads share one eligibility, and a large catalogue is looked through once for each.
    known: dict[tuple[object, ...], _Allowed] = {}
    for workload in problem.workloads:
        if workload.replicas:
            key = (workload.instance_types, workload.zones, workload.interruptible_share > 0)
            if key not in known:
                known[key] = _allowed(problem, workload, usable)
            yield from _workload_reasons(problem, workload, known[key])
    yield from _running_reasons(problem)


def _running_reasons(problem: FitProblem) -> Iterator[str]:
    """Yield the limits that the nodes which run in any case break by themselves."""
    limits = problem.limits
    pools: dict[tuple[str, Purchase], list[Offer]] = {}
    for entry in problem.instance_types:
        for offer in entry.offers:
            pools.setdefault((entry.name, offer.purchase), []).append(offer)
    running = {key: own for key, own in pools.items() if any(offer.fewest_nodes for offer in own)}
    if limits.most_pools is not None and len(running) > limits.most_pools:
        yield f"The nodes that run in any case are of {len(running)} pools, at most {limits.most_pools} are allowed."
    for (name, purchase), own in running.items():
        quotas = [offer.most_nodes for offer in own if offer.most_nodes is not None]
        # Quotas that are too small for the pool at all, whatever else is planned.
        if len(quotas) == len(own) and sum(quotas) < (limits.fewest_nodes_per_pool or 0):
            yield f"{name} {purchase} runs in any case, and its quotas hold fewer nodes than a pool must have."
        for offer in own:
            most = offer.most_nodes
            if offer.fewest_nodes and most is not None and most < (limits.fewest_nodes_per_zone or 0):
                yield f"{name} {purchase} runs in {offer.zone} in any case, and its quota there is under the fewest of a zone."
    for quota in limits.quotas:
        used = sum(
            offer.fewest_nodes * quota.use(problem.resources, entry)
            for entry in problem.instance_types
            for offer in entry.offers
            if quota.holds_for(entry, offer)
        )
        if used > quota.most:
            yield f"The nodes that run in any case take {used} of quota {quota.name}, the most is {quota.most}."


def _allowed(problem: FitProblem, workload: Workload, usable: Mapping[str, Vector]) -> _Allowed:
    offers = tuple(
        (entry, offer)
        for entry in problem.instance_types
        for offer in entry.offers
        if offer.most_nodes != 0 and problem.may_run(workload, entry, offer)
    )
    room = np.array([usable[entry.name] for entry, _ in offers], np.int64).reshape(-1, len(problem.resources))
    return _Allowed(offers, room)


def show_amount(resource: str, amount: int) -> str:
    """Return an amount with its unit: CPU and memory as quantities, others as a number."""
    if resource == "cpu_millicores":
        return f"{show_cpu(amount)} CPU"
    if resource == "memory_bytes":
        return f"{show_memory(amount)} memory"
    return f"{amount} {resource}"


def _workload_reasons(problem: FitProblem, workload: Workload, allowed: _Allowed) -> Iterator[str]:
    # Said in the order in which a planner would look: nothing allowed, nothing large enough, too few zones.
    if not allowed.offers:
        zones = ", ".join(sorted(workload.zones or problem.zones))
        yield f"{workload.name}: no offer in {zones} is one it may run on. Allow more instance types or zones."
        return
    fits = (allowed.room >= np.array(workload.request)).all(axis=1) & (allowed.room >= 0).all(axis=1)
    fits &= workload.most_per_node != 0
    fitting = {allowed.offers[index][1].zone for index in np.flatnonzero(fits)}
    if not fitting:
        yield _too_large(problem, workload, allowed.offers)
        return
    yield from _zone_reasons(problem, workload, fitting)


def _too_large(problem: FitProblem, workload: Workload, allowed: Sequence[tuple[InstanceType, Offer]]) -> str:
    """Return the sentence for a replica that is larger than every node it may run on."""
    # The first resource in which even the largest node is too small is the one to name.
    for index, resource in enumerate(problem.resources):
        entry, offer = max(allowed, key=lambda pair: (problem.usable(pair[0])[index], pair[0].name))
        largest = problem.usable(entry)[index]
        if workload.request[index] > largest:
            return (
                f"{workload.name}: one replica requests {show_amount(resource, workload.request[index])}; the largest "
                f"node it may run on, {entry.name} in {offer.zone}, has {show_amount(resource, max(largest, 0))} usable. "
                "Lower the request or allow a larger instance type."
            )
    return (
        f"{workload.name}: no single instance type has room for one replica in every resource at once. "
        "Lower the request or allow another instance type."
    )


# What only one zone can run cannot survive its loss, whatever is paid.
def _zone_reasons(problem: FitProblem, workload: Workload, fitting: set[str]) -> Iterator[str]:
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
    skew, loss = 0 if workload.equal_zones else workload.zone_skew, problem.node_promise_of(workload)
    # Where replicas on top are placed the count can be made even.
    spare = promise is Survival.STANDING or (loss.promised and loss.how is Survival.STANDING)
    if skew == 0 and not spare and workload.replicas % count:
        yield (
            f"{workload.name}: {workload.replicas} replicas cannot stand in equal counts over {count} zones. "
            f"Ask for a multiple of {count} or allow a difference of 1."
        )


def count_reasons(instance: Instance) -> Iterator[str]:
    """Yield the workloads whose own spread, promise and quotas leave no counts over the zones, whatever the others do."""
    for i, workload in enumerate(instance.workloads):
        zones, rules = instance.rules_of(i)
        # Counts exist: nothing to explain.
        if not zones or rules.total() is not None:
            continue
        names = [instance.problem.zones[zone] for zone in zones]
        room = [
            f"{name} has room for {cap}"
            for name, cap in zip(names, rules.caps.tolist(), strict=True)
            if cap < UNLIMITED
        ]
        held = "the spread over zones" if rules.skew is not None else "the quotas"
        if rules.skew is not None and room:
            held = f"the spread over zones (at most {rules.skew} apart) and the quotas"
        if rules.standing:
            yield (
                f"{workload.name}: no counts over {in_words(names)} leave {workload.left} replicas standing without any one "
                f"zone, held back by {held}{': ' + in_words(room) if room else ''}."
            )
        else:
            yield (
                f"{workload.name}: {rules.most_placed()} of {workload.replicas} replicas can be placed at most; "
                f"{find(workload.replicas - rules.most_placed())} no room, held back by {held}{': ' + in_words(room) if room else ''}."
            )


def find(count: int) -> str:
    """Return how many find, with the verb."""
    return f"{count} {'finds' if count == 1 else 'find'}"


def in_words(parts: Sequence[str]) -> str:
    """Return the parts as a list in words."""
    return parts[0] if len(parts) == 1 else f"{', '.join(parts[:-1])} and {parts[-1]}" if parts else ""

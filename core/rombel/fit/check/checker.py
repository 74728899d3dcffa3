"""Step 12. An independent reading of the rules: takes a problem and anybody's solution, says every rule it breaks.

It shares no code with the solver: it knows the model only, and recomputes cost, room, eligibility, spread,
quotas, pool limits and the landing of every zone's replicas from the plain data. Time is in proportion to
the nodes of the solution, times the zones where landing is promised.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass
from decimal import Decimal

from rombel.fit.check._optional_rules import apart_rules, bound_rules, node_rules, quota_rules
from rombel.model.fit_problem import FitProblem, InstanceType, Offer, OfferKey, Purchase, Survival, Workload
from rombel.model.fit_solution import FitSolution, FitStatus, Landing, NodeBatch


@dataclass(frozen=True, slots=True)
class CheckReport:
    """What the checker found.

    Parameters
    ----------
    violations
        One sentence for each broken rule; none means the solution holds.
    cost_per_hour
        Recomputed from the offers.
    landing
        ``given``, ``found`` (left out of the file, and found here), ``not found``, or ``not promised``.

    """

    violations: tuple[str, ...]
    cost_per_hour: Decimal
    landing: str

    @property
    def holds(self) -> bool:
        """Return whether no rule is broken."""
        return not self.violations


class _Facts:
    """The problem and the solution, indexed by name."""

    def __init__(self, problem: FitProblem, solution: FitSolution) -> None:
        self.problem, self.solution = problem, solution
        self.types: dict[str, InstanceType] = {entry.name: entry for entry in problem.instance_types}
        self.workloads: dict[str, Workload] = {entry.name: entry for entry in problem.workloads}
        self.usable = {entry.name: problem.usable(entry) for entry in problem.instance_types}
        self.apart = any(entry.apart for entry in problem.workloads)
        self.offers: dict[OfferKey, Offer] = {
            (entry.name, offer.purchase, offer.zone): offer
            for entry in problem.instance_types
            for offer in entry.offers
        }
        self.zone_counts: dict[str, Counter[str]] = {name: Counter() for name in self.workloads}
        self.interruptible: Counter[str] = Counter()
        self.per_offer: Counter[OfferKey] = Counter()
        # Counted once here; every rule below reads these sums.
        for group in solution.nodes:
            self.per_offer[_key(group)] += group.count
            for name, number in group.replicas.items():
                self.zone_counts.setdefault(name, Counter())[group.zone] += number * group.count
                if group.purchase is Purchase.INTERRUPTIBLE:
                    self.interruptible[name] += number * group.count

    def nodes(self) -> list[NodeBatch]:
        """Return one entry for each node, in file order."""
        return [group for group in self.solution.nodes for _ in range(group.count)]

    def zones_of(self, workload: Workload) -> list[str]:
        """Return the zones it may use: some offer there, with a quota, has room for one replica on an empty node."""
        return [
            zone
            for zone in self.problem.zones
            if any(
                offer.zone == zone and offer.most_nodes != 0 and self._holds_one(workload, entry, offer)
                for entry in self.problem.instance_types
                for offer in entry.offers
            )
        ]

    def _holds_one(self, workload: Workload, entry: InstanceType, offer: Offer) -> bool:
        """Return whether an empty node of the offer takes a replica."""
        room = self.usable[entry.name]
        return (
            min(room) >= 0
            and workload.most_per_node != 0
            and self.problem.may_run(workload, entry, offer)
            and all(asked <= have for asked, have in zip(workload.request, room, strict=True))
        )


def check(problem: FitProblem, solution: FitSolution) -> CheckReport:
    """Return the report on a solution; every rule is looked at, not only the first that breaks."""
    facts = _Facts(problem, solution)
    # An answer without nodes has nothing to be checked but that it says why.
    if not solution.found:
        return CheckReport(tuple(_rules_without_answer(solution)), Decimal(0), "not promised")
    known = list(_unknown_names(facts))
    # A name that is not in the problem makes every other rule meaningless, so it is said alone.
    if known:
        return CheckReport(tuple(known), Decimal(0), "not promised")
    cost = sum((facts.offers[_key(group)].price_per_hour * group.count for group in solution.nodes), start=Decimal(0))
    # A zone is paid for once, however many nodes use it.
    cost += sum((price for zone in {g.zone for g in solution.nodes} for _, price in problem.zone_charges.get(zone, ())))
    violations = [*_money_rules(facts, cost), *_node_rules(facts), *_pool_rules(facts), *_count_rules(facts)]
    violations += quota_rules(problem, facts.types, facts.offers, facts.per_offer)
    violations += node_rules(problem, solution.nodes, facts.types)
    landing, broken = _landing_rules(facts)
    return CheckReport((*violations, *broken, *_growing_rules(facts)), cost, landing)


def _rules_without_answer(solution: FitSolution) -> Iterator[str]:
    if solution.nodes:
        yield f"The status is {solution.status}, yet there are nodes."
    if not solution.reasons:
        yield f"The status is {solution.status} without a reason."


def _key(group: NodeBatch) -> OfferKey:
    return group.instance_type, group.purchase, group.zone


def _unknown_names(facts: _Facts) -> Iterator[str]:
    for number, group in enumerate(facts.solution.nodes):
        if _key(group) not in facts.offers:
            yield f"nodes[{number}]: {group.instance_type} is not offered {group.purchase} in {group.zone}."
        for name in group.replicas:
            if name not in facts.workloads:
                yield f"nodes[{number}]: there is no workload '{name}'."


def _money_rules(facts: _Facts, cost: Decimal) -> Iterator[str]:
    stated, floor = facts.solution.cost_per_hour, facts.solution.floor_per_hour
    # Money is compared exactly: costs are decimals and never floats.
    if facts.solution.currency != facts.problem.currency:
        yield f"The currency is {facts.solution.currency}, the problem's is {facts.problem.currency}."
    if stated != cost:
        yield f"The stated cost is {stated} an hour; the nodes{' and zones' if facts.problem.zone_charges else ''} cost {cost}."
    if floor > cost:
        yield f"The floor {floor} is above the cost {cost}."
    # A cost is called proved only where the floor reaches it, but for a rounding of the ninth digit.
    if facts.solution.status is FitStatus.OPTIMAL and cost - floor > cost * Decimal("1e-9"):
        yield f"The status is optimal, yet the cost {cost} is above the floor {floor}."


def _node_rules(facts: _Facts) -> Iterator[str]:
    """Yield broken rules of single nodes: room in every resource, eligibility, most per node."""
    for number, group in enumerate(facts.solution.nodes):
        yield from _room(facts, group, group.replicas, f"nodes[{number}]")
        for name in group.replicas:
            if _barred(facts, group, name):
                yield f"nodes[{number}]: {name} may not run on {group.instance_type} {group.purchase} in {group.zone}."


def _barred(facts: _Facts, group: NodeBatch, name: str) -> bool:
    """Return whether eligibility keeps a workload off such nodes."""
    entry, offer = facts.types[group.instance_type], facts.offers[_key(group)]
    return not facts.problem.may_run(facts.workloads[name], entry, offer)


def _room(facts: _Facts, group: NodeBatch, replicas: Mapping[str, int], where: str) -> Iterator[str]:
    usable, asked = facts.usable[group.instance_type], [0] * len(facts.problem.resources)
    for name, number in replicas.items():
        workload = facts.workloads[name]
        for index, amount in enumerate(workload.request):
            # Every resource of the problem, not only those that the solver thought would bind.
            asked[index] += amount * number
        most = workload.most_per_node
        if most is not None and number > most:
            yield f"{where}: {number} replicas of {name} on one node, at most {most} allowed."
    for index, resource in enumerate(facts.problem.resources):
        if asked[index] > usable[index]:
            yield f"{where}: {asked[index]} {resource} requested, {usable[index]} usable on {group.instance_type}."
    if facts.apart:
        yield from apart_rules(facts.workloads, replicas, where)


def _pool_rules(facts: _Facts) -> Iterator[str]:
    """Yield broken quotas, pool limits and nodes that run in any case."""
    limits, per_offer = facts.problem.limits, facts.per_offer
    # A node that runs in any case is stated by the planner, whatever the cheapest answer would do.
    for key, offer in facts.offers.items():
        if per_offer[key] < offer.fewest_nodes:
            yield f"{per_offer[key]} nodes of {' '.join(key)}, {offer.fewest_nodes} run in any case."
    pools: Counter[tuple[str, Purchase]] = Counter()
    for (name, purchase, zone), count in per_offer.items():
        pools[name, purchase] += count
        most = facts.offers[name, purchase, zone].most_nodes
        if most is not None and count > most:
            yield f"{count} nodes of {name} {purchase} in {zone}, the quota is {most}."
        if count < (limits.fewest_nodes_per_zone or 0):
            yield f"{count} nodes of {name} {purchase} in {zone}, fewest per zone is {limits.fewest_nodes_per_zone}."
    for (name, purchase), count in pools.items():
        if count < (limits.fewest_nodes_per_pool or 0):
            yield f"The pool {name} {purchase} has {count} nodes, fewest per pool is {limits.fewest_nodes_per_pool}."
        counts = [per_offer[name, purchase, zone] for zone in facts.problem.zones]
        if limits.equal_zones and len(set(counts)) > 1:
            yield f"The pool {name} {purchase} has {counts} nodes over the zones, and equal counts are asked."
    if limits.most_pools is not None and len(pools) > limits.most_pools:
        yield f"There are {len(pools)} pools, at most {limits.most_pools} allowed."


def _count_rules(facts: _Facts) -> Iterator[str]:
    """Yield broken rules on the number of replicas, their spread and their share on interruptible nodes."""
    for workload in facts.problem.workloads:
        counts = facts.zone_counts[workload.name]
        placed = sum(counts.values())
        yield from _enough(facts, workload, counts)
        yield from bound_rules(workload, counts)
        # Zones where it could not run in any case do not count as empty domains.
        spread = [counts[zone] for zone in facts.zones_of(workload)] or [0]
        skew = 0 if workload.equal_zones else workload.zone_skew
        if skew is not None and max(spread) - min(spread) > skew:
            yield f"{workload.name}: counts over zones {spread} differ by more than {skew}."
        # Within a rounding of floats: the share is a decimal typed by people.
        if facts.interruptible[workload.name] > workload.interruptible_share * placed + 1e-9:
            yield f"{workload.name}: more than its share of replicas on interruptible nodes."


def _enough(facts: _Facts, workload: Workload, counts: Counter[str]) -> Iterator[str]:
    placed = sum(counts.values())
    # Replicas on top are allowed only where a promise can need them.
    loss = facts.problem.node_promise_of(workload)
    spare = loss.promised and loss.how is Survival.STANDING
    if facts.problem.promise_of(workload) is not Survival.STANDING:
        if placed < workload.replicas or (placed > workload.replicas and not spare):
            yield f"{workload.name}: {placed} replicas placed, {workload.replicas} asked."
        return
    if placed < workload.replicas:
        yield f"{workload.name}: {placed} replicas placed, {workload.replicas} asked."
    for zone in facts.problem.zones:
        left = placed - counts[zone]
        if left < workload.left:
            yield f"{workload.name}: {left} replicas left without {zone}, {workload.left} must stand."


def _growing_rules(facts: _Facts) -> Iterator[str]:
    """Yield broken rules of the new nodes that lost replicas wait for: all placed, room, quotas, pools."""
    promised = [w.name for w in facts.problem.workloads if facts.problem.promise_of(w) is Survival.GROWING]
    given = facts.solution.growing or {}
    for zone in facts.problem.zones:
        # What waits for new nodes is what stood in the lost zone.
        need = Counter({name: facts.zone_counts[name][zone] for name in promised})
        placed: Counter[str] = Counter()
        bought: Counter[OfferKey] = Counter()
        for number, group in enumerate(given.get(zone, ())):
            where = f"Losing {zone}, new nodes[{number}]"
            # What was lost cannot be bought there, and only those who wait may use the new nodes.
            if group.zone == zone or _key(group) not in facts.offers or group.replicas.keys() - set(promised):
                yield f"{where}: {group.instance_type} {group.purchase} in {group.zone} cannot be bought for them."
                continue
            bought[_key(group)] += group.count
            placed.update({name: amount * group.count for name, amount in group.replicas.items()})
            yield from _room(facts, group, group.replicas, where)
            yield from (f"{where}: {name} may not run there." for name in group.replicas if _barred(facts, group, name))
        for name in promised:
            # Exactly those: more would be paid for nothing.
            if placed[name] != need[name]:
                yield f"Losing {zone}: {placed[name]} replicas of {name} are placed on new nodes, {need[name]} wait."
        yield from _growth_limits(facts, zone, bought)


def _growth_limits(facts: _Facts, zone: str, bought: Counter[OfferKey]) -> Iterator[str]:
    """Yield the quotas and the limit on pools that the nodes bought after a loss would break."""
    standing = facts.per_offer
    for key, count in bought.items():
        most = facts.offers[key].most_nodes
        if most is not None and standing[key] + count > most:
            yield f"Losing {zone}: {standing[key]} + {count} nodes of {' '.join(key)}, the quota is {most}."
    pools = {key[:2] for key in (*standing, *bought)}
    most_pools = facts.problem.limits.most_pools
    # A pool bought anew counts as much as one that runs.
    if most_pools is not None and bought and len(pools) > most_pools:
        yield f"Losing {zone}: {len(pools)} pools, at most {most_pools} allowed."


def _landing_rules(facts: _Facts) -> tuple[str, list[str]]:
    """Return where the landing came from, and the broken rules of every single zone's loss."""
    promised = [w for w in facts.problem.workloads if facts.problem.promise_of(w) is Survival.LANDING]
    lost = {
        zone: Counter({w.name: facts.zone_counts[w.name][zone] for w in promised if facts.zone_counts[w.name][zone]})
        for zone in facts.problem.zones
    }
    if not any(lost.values()):
        return "not promised", []
    nodes = facts.nodes()
    given = facts.solution.landing
    # Without a landing in the file one is looked for, so that other people's plans can be checked too.
    if given is not None:
        return "given", [
            line
            for zone, need in lost.items()
            for line in _given_landing(facts, nodes, zone, need, given.get(zone, ()))
        ]
    broken = [
        f"Losing {zone}: no landing was found for {', '.join(sorted(left))}."
        for zone, need in lost.items()
        if (left := _search_landing(facts, nodes, zone, need))
    ]
    return ("not found" if broken else "found"), broken


def _given_landing(
    facts: _Facts, nodes: list[NodeBatch], zone: str, need: Counter[str], given: Iterable[Landing]
) -> Iterator[str]:
    landed: Counter[str] = Counter()
    per_node: dict[int, Counter[str]] = {}
    for entry in given:
        if entry.node >= len(nodes) or nodes[entry.node].zone == zone:
            yield f"Losing {zone}: node {entry.node} is no surviving node."
            continue
        per_node.setdefault(entry.node, Counter()).update(entry.replicas)
        landed.update(entry.replicas)
    yield from _share_after(facts, zone, {number: counts for number, counts in per_node.items() if number < len(nodes)})
    # No more land than were lost, and none of those that are owed is missing.
    for name in need.keys() | landed.keys():
        if landed[name] < need[name] or landed[name] > facts.zone_counts.get(name, Counter())[zone]:
            yield f"Losing {zone}: {landed[name]} replicas of {name} land, {need[name]} must."
    for number, arrivals in per_node.items():
        group = nodes[number]
        where = f"Losing {zone}, node {number}"
        unknown = [name for name in arrivals if name not in facts.workloads]
        if unknown:
            yield f"{where}: there is no workload '{unknown[0]}'."
            continue
        # Beside what the node carries already, in every resource.
        yield from _room(facts, group, Counter(group.replicas) + arrivals, where)
        yield from (f"{where}: {name} may not run there." for name in arrivals if _barred(facts, group, name))


def _share_after(facts: _Facts, zone: str, arrivals: Mapping[int, Counter[str]]) -> Iterator[str]:
    """Yield the workloads of which more than their share is on interruptible nodes once they have landed."""
    nodes = facts.nodes()
    risky: Counter[str] = Counter()
    # What stood in the lost zone no longer counts, what has landed does.
    for number, group in enumerate(nodes):
        if group.purchase is Purchase.INTERRUPTIBLE:
            risky.update(group.replicas if group.zone != zone else {})
            risky.update(arrivals.get(number, {}))
    for name, number in risky.items():
        workload = facts.workloads.get(name)
        if workload is not None and facts.problem.promise_of(workload) is Survival.LANDING:
            placed = sum(facts.zone_counts[name].values())
            if number > workload.interruptible_share * placed + 1e-9:
                yield f"Losing {zone}: {number} of {placed} replicas of {name} are on interruptible nodes, more than their share."


def _search_landing(facts: _Facts, nodes: list[NodeBatch], zone: str, need: Counter[str]) -> set[str]:
    """Return the workloads for which no room was found, by best fit in several orders (no proof of absence)."""
    left: set[str] = set()
    for index in range(len(facts.problem.resources)):
        left = _best_fit(facts, nodes, zone, need, index)
        if not left:
            break
    return left


def _best_fit(facts: _Facts, nodes: list[NodeBatch], zone: str, need: Counter[str], index: int) -> set[str]:
    """Return the workloads left over when the largest in one resource lands first, each where least room stays."""
    alive = [group for group in nodes if group.zone != zone]
    loads = [Counter(group.replicas) for group in alive]
    left: set[str] = set()
    # Names break ties, so that the same file gives the same verdict.
    for name in sorted(need, key=lambda name: (-facts.workloads[name].request[index], name)):
        for _ in range(need[name]):
            options = [
                (_free(facts, alive[number], loads[number], index), number)
                # The place where least room stays is the one that spoils least for others.
                for number in range(len(alive))
                if _is_sure(facts, alive[number], name) and _takes(facts, alive[number], loads[number], name)
            ]
            if not options:
                left.add(name)
                break
            loads[min(options)[1]][name] += 1
    return left


def _is_sure(facts: _Facts, group: NodeBatch, name: str) -> bool:
    """Return whether a landing there surely keeps the share of replicas on interruptible nodes."""
    share = facts.workloads[name].interruptible_share
    return group.purchase is not Purchase.INTERRUPTIBLE or share >= 1


def _free(facts: _Facts, group: NodeBatch, load: Counter[str], index: int) -> int:
    usable = facts.usable[group.instance_type]
    return usable[index] - sum(facts.workloads[name].request[index] * number for name, number in load.items())


def _takes(facts: _Facts, group: NodeBatch, load: Counter[str], name: str) -> bool:
    offer = facts.offers[_key(group)]
    if not facts.problem.may_run(facts.workloads[name], facts.types[group.instance_type], offer):
        return False
    return next(_room(facts, group, load + Counter({name: 1}), ""), None) is None

"""Step 11. Room for what any few lost nodes carry: nodes added to an answer until every such loss finds a landing.

Any k nodes may go at once. A node's hosts are the others that can each take all that lands from it. It is enough that every node
has k hosts that lose nothing themselves, or 2k - 1 of any kind. In the first case, let r of the k lost nodes carry something: at most
k - r of the empty hosts are lost, so r are left. In the second at most k - 1 hosts are lost, so k are left. Either way the lost nodes
find hosts one after another. For one lost node less is needed: its replicas may land on many.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace

import numpy as np

from rombel.fit.problem.instance import Ints
from rombel.model.fit_problem import FitProblem, InstanceType, NodeLoss, Offer, OfferKey, Survival
from rombel.model.fit_solution import FitSolution, FitStatus, NodeBatch

MOST_SPARES = 200


def landing_loss(problem: FitProblem) -> NodeLoss:
    """Return the largest loss of nodes of which replicas of some workload are promised to land; of none, where there is none."""
    losses = [problem.node_promise_of(w) for w in problem.workloads if w.replicas]
    landing = [loss for loss in losses if loss.promised and loss.how is Survival.LANDING]
    return max(landing, key=lambda loss: loss.count, default=NodeLoss())


def with_spares(problem: FitProblem, solution: FitSolution) -> FitSolution | None:
    """Return the solution with the nodes added that its losses of nodes need, cheap ones first; None where none serve."""
    count, added = landing_loss(problem).count, Counter[OfferKey]()
    sold = {entry.key(offer): offer for entry in problem.instance_types for offer in entry.offers}
    whole = solution
    # One node, or one a zone, at a time: after each all losses are looked at again.
    while not (room := _Room(problem, whole)).holds(count):
        chosen = room.spare(count)
        if chosen is None or added.total() > MOST_SPARES:
            return None
        added.update(chosen)
        extra = tuple(NodeBatch(*key, number, {}) for key, number in sorted(added.items()))
        cost = solution.cost_per_hour + sum(sold[key].price_per_hour * number for key, number in added.items())
        # An added node makes the cost higher than the floor that was proved, so the proof is gone.
        status = FitStatus.FEASIBLE if solution.status is FitStatus.OPTIMAL else solution.status
        whole = replace(solution, status=status, nodes=(*solution.nodes, *extra), cost_per_hour=cost)
    return whole


@dataclass(slots=True)
class _Kind:
    """Nodes that are alike: how many, their offer, and (I,) replicas on each."""

    count: int
    key: OfferKey
    load: Ints


class _Room:
    """The nodes of an answer, and what of them could land where."""

    def __init__(self, problem: FitProblem, solution: FitSolution) -> None:
        self.problem = problem
        self._workloads = [w for w in problem.workloads if w.replicas]
        names = {w.name: i for i, w in enumerate(self._workloads)}
        self._request = np.array([w.request for w in self._workloads], np.int64)
        losses = [problem.node_promise_of(w) for w in self._workloads]
        self._lands = np.array([loss.promised and loss.how is Survival.LANDING for loss in losses], np.bool_)
        self._bound = np.array([w.bound_to_zone for w in self._workloads], np.bool_)
        self._offers = {e.key(o): (e, o) for e in problem.instance_types for o in e.offers}
        self._usable = {e.name: np.array(problem.usable(e), np.int64) for e in problem.instance_types}
        self._most = {key: self._most_of(*self._offers[key]) for key in self._offers}
        self._apart = np.zeros((len(names), len(names)), np.bool_)
        # Kept both ways round, whichever of the two states it.
        for i, workload in enumerate(self._workloads):
            for other in workload.apart & names.keys():
                self._apart[i, names[other]] = self._apart[names[other], i] = True
        self._kinds: list[_Kind] = []
        for batch in solution.nodes:
            load = np.zeros(len(names), np.int64)
            for name, number in batch.replicas.items():
                load[names[name]] = number
            self._kinds.append(_Kind(batch.count, batch.offer, load))

    def _most_of(self, entry: InstanceType, offer: Offer) -> Ints:
        """Return (I,) the most replicas of each workload that a node of the offer may carry."""
        most = [
            (w.most_per_node if w.most_per_node is not None else 10**6) if self.problem.may_run(w, entry, offer) else 0
            for w in self._workloads
        ]
        return np.array(most, np.int64)

    def holds(self, count: int) -> bool:
        """Return whether the loss of any so many nodes is survived."""
        return all(count == 0 or self._survives(kind, count) for kind in self._kinds)

    def _survives(self, kind: _Kind, count: int) -> bool:
        load = np.where(self._lands, kind.load, 0)
        if not load.any():
            return True
        hosts = [other for other in self._kinds if self._takes(other, other.load, load, kind.key[2])]
        empty = sum(other.count for other in hosts if not other.load[self._lands].any())
        # Two lost nodes may share their only host that is left, so as many hosts as lost nodes are not enough.
        if empty >= count or sum(other.count - (other is kind) for other in hosts) >= 2 * count - 1:
            return True
        return count == 1 and self._scattered(kind, load)

    def _takes(self, kind: _Kind, carried: Ints, load: Ints, zone: str) -> bool:
        """Return whether a node takes a load of a node lost in a zone beside what it carries."""
        if kind.key[2] != zone and load[self._bound].any():
            return False  # A zonal volume does not leave its zone.
        whole = carried + load
        fits = (self._request.T @ whole <= self._usable[kind.key[0]]).all()
        # Only classes that arrive are asked about: what stands there is allowed already.
        allowed = (whole <= self._most[kind.key])[load > 0].all()
        return bool(fits and allowed and not self._apart[np.ix_(whole > 0, load > 0)].any())

    def _scattered(self, kind: _Kind, load: Ints) -> bool:
        """Return whether the replicas of one lost node find room on several others: first fit, the largest in one resource first."""
        names = [workload.name for workload in self._workloads]
        lost = [int(i) for i in np.flatnonzero(load)]
        others = [other for other in self._kinds for _ in range(min(other.count - (other is kind), int(load.sum())))]
        for index in range(self._request.shape[1]):
            loads = [other.load.copy() for other in others]
            order = sorted(lost, key=lambda i: (-self._request[i, index], names[i]))
            if all(self._land(others, loads, i, kind.key[2]) for i in order for _ in range(int(load[i]))):
                return True
        return False

    def _land(self, others: Sequence[_Kind], loads: list[Ints], i: int, zone: str) -> bool:
        """Put one replica from a zone on the first node that takes it; return whether one did."""
        one = np.zeros(len(self._workloads), np.int64)
        one[i] = 1
        for other, carried in zip(others, loads, strict=True):
            if self._takes(other, carried, one, zone):
                carried[i] += 1
                return True
        return False

    def spare(self, count: int) -> tuple[OfferKey, ...] | None:
        """Return the nodes to add next, those that cost least for each node whose loss they help to survive; None: none help."""
        # Price by how many lost nodes it would help: one large spare can serve many.
        open_kinds = [kind for kind in self._kinds if not self._survives(kind, count)]
        best, least = None, float("inf")
        for keys in self._may_add():
            spares = [_Kind(0, key, np.zeros(len(self._workloads), np.int64)) for key in keys]
            helped = sum(kind.count for kind in open_kinds if any(self._helps(spare, kind) for spare in spares))
            price = float(sum(self._offers[key][1].price_per_hour for key in keys))
            if helped and (rate := price / helped) < least:
                best, least = keys, rate
        return best

    def _helps(self, spare: _Kind, kind: _Kind) -> bool:
        return self._takes(spare, spare.load, np.where(self._lands, kind.load, 0), kind.key[2])

    def _may_add(self) -> Iterator[tuple[OfferKey, ...]]:
        """Yield what may be added under the limits: one node, or where zones are equal one in each."""
        # Limits of pools hold for spares like for any other node.
        limits, standing = self.problem.limits, Counter[OfferKey]()
        for kind in self._kinds:
            standing[kind.key] += kind.count
        pools = {key[:2] for key in standing}
        full = limits.most_pools is not None and len(pools) >= limits.most_pools
        strict = limits.equal_zones or max(limits.fewest_nodes_per_pool or 0, limits.fewest_nodes_per_zone or 0) > 1
        for key, (entry, offer) in self._offers.items():
            known = key in standing if strict else key[:2] in pools or not full
            keys = [key]
            if limits.equal_zones:
                keys = [entry.key(own) for own in entry.offers if own.purchase is offer.purchase]
            if known and min(self._usable[entry.name]) >= 0 and self._within(standing, keys):
                yield tuple(keys)

    def _within(self, standing: Counter[OfferKey], keys: Sequence[OfferKey]) -> bool:
        """Return whether the quotas leave room for these nodes."""
        after = standing + Counter(keys)
        single = all((most := self._offers[key][1].most_nodes) is None or after[key] <= most for key in keys)
        return single and all(
            sum(
                n * q.use(self.problem.resources, self._offers[k][0])
                for k, n in after.items()
                if q.holds_for(*self._offers[k])
            )
            <= q.most
            for q in self.problem.limits.quotas
        )

"""What runs already, in the words of a fitting problem: nodes with the problem's classes on them."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from rombel.model.demand import parted_name
from rombel.model.fit_problem import FitProblem, OfferKey, Purchase
from rombel.model.running import Running, RunningNode


@dataclass(frozen=True, slots=True)
class ExistingNode:
    """A node that runs, with its replicas by workload."""

    name: str
    instance_type: str
    purchase: Purchase
    zone: str
    replicas: Mapping[str, int]

    @property
    def key(self) -> OfferKey:
        """Return the offer that it is of."""
        return self.instance_type, self.purchase, self.zone


@dataclass(frozen=True, slots=True)
class Existing:
    """The nodes that run, and the names of those that no offer of the problem sells."""

    nodes: tuple[ExistingNode, ...]
    unsold: tuple[str, ...] = ()


def existing_in(problem: FitProblem, running: Running) -> Existing:
    """Return what runs as the problem sees it.

    A listing does not say how a node is paid for: it is taken to be on demand where that is sold, else as it is sold there.
    Workloads placed as one stand where all of them do. Replicas of workloads that the problem does not have are left out.
    """
    nodes, unsold = [], []
    for node in running.nodes:
        # A listing does not tell; nodes of a type nobody sells any more are named and left alone.
        purchase = _purchase(problem, node)
        if purchase is None:
            unsold.append(node.name)
            continue
        here = running.replicas.get(node.name, {})
        held = {workload.name: _held(workload.name, here) for workload in problem.workloads}
        replicas = {name: count for name, count in held.items() if count}
        nodes.append(ExistingNode(node.name, node.instance_type, purchase, node.zone, replicas))
    return Existing(tuple(nodes), tuple(unsold))


def _purchase(problem: FitProblem, node: RunningNode) -> Purchase | None:
    """Return how such a node is sold; None: it is not."""
    sold = [
        offer.purchase
        for entry in problem.instance_types
        if entry.name == node.instance_type
        for offer in entry.offers
        if offer.zone == node.zone
    ]
    return Purchase.ON_DEMAND if Purchase.ON_DEMAND in sold else next(iter(sold), None)


def _held(name: str, here: Mapping[str, int]) -> int:
    """Return how often all that a placed name stands for is on the node."""
    # A group stands as often as its scarcest member does.
    return min(here.get(own, 0) // count for own, count in parted_name(name))

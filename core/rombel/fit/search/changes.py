"""Changes of nodes that stand: what is missing placed first, then one change after another that gains more than it costs."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from decimal import Decimal

import numpy as np

from rombel.fit.bounds.aggregation import relax
from rombel.fit.bounds.linking import build_linking
from rombel.fit.problem.building import build_instance
from rombel.fit.problem.instance import Instance, Ints
from rombel.fit.report.batches import landings_of
from rombel.fit.search import _changes, _padding, _plan
from rombel.fit.search._plan import NOWHERE, SLOTS
from rombel.fit.search.ruin_and_recreate import Prices, Search, SearchParams
from rombel.model.existing import ExistingNode
from rombel.model.fit_problem import FitProblem
from rombel.model.fit_solution import Landing

SPARE_SLOTS = 64


@dataclass(frozen=True, slots=True)
class ChangeParams:
    """How changes are sought.

    Parameters
    ----------
    per_move, per_node
        What a change must save an hour at least for each replica that it moves, and for each node that it brings.
    tries
        Changes looked at before one is chosen, besides the emptying of each node.
    most_emptied
        Most nodes emptied in one change: the first entry while anything is gained by it, then the next.

    """

    per_move: Decimal = Decimal(0)
    per_node: Decimal = Decimal(0)
    tries: int = 600
    most_emptied: tuple[int, ...] = (1, 2, 4)

    @property
    def cost_of_change(self) -> tuple[Decimal, Decimal]:
        """Return what a replica moved and a node brought must save."""
        return self.per_move, self.per_node


class Changing(Search):
    """Nodes that stand and change; what they are is read after each change.

    Parameters
    ----------
    instance
        With the offers of the nodes that stand.
    prices
        From a relaxation.
    nodes
        What stands, the nodes that should rather keep all they have first.
    seed, params
        Of the generator, and of the changes.

    """

    def __init__(
        self, instance: Instance, prices: Prices, nodes: Sequence[ExistingNode], *, seed: int, params: ChangeParams
    ) -> None:
        # Changes bring nodes before they take others away.
        slots = int(1.5 * len(nodes)) + len(instance.workloads) + SPARE_SLOTS
        super().__init__(instance, prices, slots, seed, SearchParams())
        self._changes = params
        self._stand(nodes)

    def _stand(self, nodes: Sequence[ExistingNode]) -> None:
        offers = {entry.key(offer): index for index, (entry, offer) in enumerate(self.instance.offers)}
        names = [workload.name for workload in self.instance.workloads]
        # Nodes are opened as they are, even where a limit would forbid them today: they run.
        self._start_anew()
        for node in nodes:
            self._open_with(offers[node.key], np.array([node.replicas.get(name, 0) for name in names], np.int64))
        _plan.keep(self._plan, self._best)
        self._least = _padding.cost(self._data, self._plan)

    def change(self) -> bool:
        """Make the change that gains most; return whether any of those tried gains anything.

        While replicas wait, nothing is emptied as long as they find places without.
        """
        per_move, per_node = (float(amount) / self.instance.money_per_cost for amount in self._changes.cost_of_change)
        waits = int(self.unplaced.sum()) > 0
        # What waits is placed before anything else is looked at.
        for most in (0, *self._changes.most_emptied) if waits else self._changes.most_emptied:
            self._outside()
            # Every node is emptied by itself once, beside the random tries.
            tries = self._changes.tries + (self.nodes if most else 0)
            plans = (self._data, self._plan, self._before, self._best)
            gain: float = _changes.best_change(*plans, self._steps + 1, tries, most, per_move, per_node)
            self._steps += tries
            # The best of the tries was kept; the plan goes on from there.
            self.restart()
            if gain > 0:
                return True
        return False

    @property
    def state(self) -> tuple[Ints, np.ndarray]:
        """Return (N,) the offer in each slot, -1 for none, and (N, I) the replicas there."""
        best = self._best
        return np.where(np.arange(len(best.offer)) < best.top[SLOTS], best.offer, NOWHERE), best.base.astype(np.int64)

    @property
    def landing(self) -> dict[str, tuple[Landing, ...]] | None:
        """Return where each zone's replicas land, by the place of a node among the slots in use; None: nothing lands."""
        slots, _ = self.state
        if not self.instance.lands.any():
            return None
        places, land = np.flatnonzero(slots != NOWHERE), self._best.land
        return landings_of(self.instance, [dict(enumerate(land[index])) for index in places])


def stand_on(problem: FitProblem, nodes: Sequence[ExistingNode], *, seed: int = 0, params: ChangeParams) -> Changing:
    """Return what stands, ready to be changed; every node must be of an offer of the problem.

    Nodes that carry most come first: replicas that are too many, or that rules forbid where they are, come off the last.
    """
    instance = build_instance(problem, standing={node.key for node in nodes})
    found = relax(build_linking(instance))
    prices = Prices(np.ascontiguousarray(found.replica_price), np.ascontiguousarray(found.room_price))
    return Changing(instance, prices, nodes, seed=seed, params=params)

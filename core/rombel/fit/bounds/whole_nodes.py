"""Step 9. The relaxation in which replicas may be cut but nodes may not: a tighter floor where nodes are few, and for pool limits.

The divisible relaxation with whole numbers of nodes; pools that run are counted, are at least as large as asked and, where
asked, as large in every zone. A branch-and-bound tree stopped early still leaves a valid floor.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from rombel.fit.bounds._highs import Columns, Floats, LinearModel
from rombel.fit.bounds.divisible import Relaxation
from rombel.fit.bounds.linking import Linking
from rombel.fit.problem.instance import UNLIMITED, Ints


@dataclass(frozen=True, slots=True)
class WholeParams:
    """How far the tree goes.

    Parameters
    ----------
    most_pairs, most_landing_pairs
        Pairs of class and offer at most, at all and where replicas land.
    most_tree_nodes, most_checks, most_work
        Nodes of the tree, and the solver's checks of its limits: at most so many, and fewer where each looks at many pairs.

    """

    most_pairs: int = 6000
    most_landing_pairs: int = 2500
    most_tree_nodes: int = 20_000
    most_checks: int = 1500
    most_work: int = 200_000


@dataclass(frozen=True, slots=True)
class WholeNodes:
    """The floor, and (J,) nodes with (J, I) amounts of the best answer found; None where there was none."""

    floor: float
    nodes: Ints | None
    amounts: Floats | None


def solve_whole(linking: Linking, most_cost: float, params: WholeParams) -> WholeNodes | None:
    """Return the solved program; None when it would be too large.

    ``most_cost`` is what an answer that is known costs: it bounds the number of nodes of every pool.
    """
    instance = linking.instance
    # Too many pairs would take longer than the search beside it.
    if linking.pairs.sum() > params.most_pairs:
        return None
    # All pairs are columns: one left out could carry a node's only useful load once nodes are whole.
    relaxation = Relaxation(linking, linking.pairs)
    # Solved once as a plain program first: its lazy limits on nodes stay as rows of the whole one.
    relaxation.solve()
    model, offers = relaxation.model, len(instance.offers)
    model.integral(np.arange(offers, dtype=np.int32))
    _limit_pools(linking, model, most_cost)
    checks = min(params.most_checks, params.most_work // max(1, int(linking.pairs.sum())))
    result = model.solve(params.most_tree_nodes, checks)
    # Stopped before any answer the tree still has a bound, which is all that is asked of it.
    if len(result.primal) != model.columns or not np.isfinite(result.objective):
        return WholeNodes(max(0.0, result.bound) if np.isfinite(result.bound) else 0.0, None, None)
    amounts = relaxation.amounts_of(result)
    return WholeNodes(result.bound, np.round(result.primal[:offers]).astype(np.int64), amounts)


def _limit_pools(linking: Linking, model: LinearModel, most_cost: float) -> None:
    """Add what the limits ask of pools."""
    instance, limits = linking.instance, linking.instance.problem.limits
    pools = int(instance.pool.max(initial=-1)) + 1
    own = [np.flatnonzero(instance.pool == pool) for pool in range(pools)]
    if limits.equal_zones:
        for offers in own:
            model.add_rows([[(int(other), 1.0), (int(offers[0]), -1.0)] for other in offers[1:]], 0.0, 0.0)
    # A pool runs or does not: a column of zero or one, which its nodes cannot exceed.
    sizes = {"pool": limits.fewest_nodes_per_pool or 0, "zone": limits.fewest_nodes_per_zone or 0}
    if limits.most_pools is None and max(sizes.values()) <= 1:
        return
    # More nodes of an offer than the known answer could pay for are never needed; without such a limit switches mean nothing.
    most = np.minimum(np.ceil(most_cost / np.maximum(instance.cost, 1e-9)), instance.quota)
    runs = _switches(model, pools)
    for pool, offers in enumerate(own):
        entries = [(int(offer), 1.0) for offer in offers]
        ceiling = float(min(most[offers].sum(), UNLIMITED))
        # No nodes without the switch, and with it at least the fewest.
        model.add_rows([[*entries, (runs + pool, -ceiling)]], 0.0)
        model.add_rows([[*entries, (runs + pool, -float(sizes["pool"]))]], np.inf, 0.0)
    if limits.most_pools is not None:
        model.add_rows([[(runs + pool, 1.0) for pool in range(pools)]], float(limits.most_pools))
    if sizes["zone"] > 1:
        here = _switches(model, len(instance.offers))
        for offer in range(len(instance.offers)):
            model.add_rows([[(offer, 1.0), (here + offer, -float(most[offer]))]], 0.0)
            model.add_rows([[(offer, 1.0), (here + offer, -float(sizes["zone"]))]], np.inf, 0.0)


def _switches(model: LinearModel, count: int) -> int:
    """Add columns that are 0 or 1 and return the first."""
    first, batch = model.columns, Columns()
    for _ in range(count):
        batch.add(0.0, [], 1.0)
    model.add(batch)
    model.integral(np.arange(first, first + count, dtype=np.int32))
    return first

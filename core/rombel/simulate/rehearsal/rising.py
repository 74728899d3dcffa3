"""How fast demand rises: room that is kept back lets it rise until a node has started."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from rombel.model.fit_problem import FitProblem
from rombel.model.rehearsal import Rehearsal

Ints = NDArray[np.int64]

RISE_PERCENTILE = 99.0
"""Of all spans as long as the start of a node so many percent rise by no more than the room that is kept back for it."""


@dataclass(frozen=True, slots=True)
class Rise:
    """How many more replicas' room demand asks for within so many seconds: the percentile of all such spans, as a share of the most asked."""

    within_s: int
    percentile: float
    share: float


def rise_within(rehearsal: Rehearsal, problem: FitProblem, percentile: float = RISE_PERCENTILE) -> Rise:
    """Return how far the requests of what demand asks for rise within the start of one node, one in twenty of which takes longer.

    Of the resources the one that rises most counts. Replicas beyond a workload's most are never asked for.
    """
    params = rehearsal.params
    within = params.look_out_s + (params.node_start_p95_s or params.node_start_s)
    spans, requests = -(-within // rehearsal.step_s), {w.name: w.request for w in problem.workloads}
    # Whatever is asked of a workload, the load that wants most replicas counts.
    wanted: dict[str, Ints] = {}
    for load in rehearsal.loads:
        scaling = rehearsal.scalings.get(load.workload)
        if scaling is not None:
            replicas = np.clip(-(-np.maximum(load.values, 0) // load.target), scaling.least, scaling.most)
            wanted[load.workload] = np.maximum(wanted.get(load.workload, replicas), replicas)
    share = 0.0
    for place in range(len(problem.resources)):
        total = sum((count * requests[name][place] for name, count in wanted.items()), np.zeros(rehearsal.steps))
        rises = [total[ahead:] - total[:-ahead] for ahead in range(1, spans + 1) if ahead < len(total)]
        if rises and total.max() > 0:
            # At each time the largest of the rises within the span; what falls counts as no rise.
            most = np.maximum.reduce([np.pad(rise, (0, rehearsal.steps - len(rise))) for rise in rises])
            share = max(share, float(np.percentile(np.maximum(most, 0), percentile) / total.max()))
    return Rise(within, percentile, share)

"""Where the next replica of a workload goes: the filters of the published API, and a declared score.

A node passes when it takes replicas, has room in every resource of the problem, is eligible, holds fewer than its most of the workload,
nothing that stands apart from it, and when its zone and it itself stay inside the hard spread. The spread is counted over domains that
exist: zones with a listed node on which the workload may run. Of the nodes that pass, ``Score.TIGHT`` takes the one that is left with
least room, and ``Score.LEAST_ALLOCATED`` the one with the largest mean share of CPU and memory left free, the published default of the
API's reference scheduler (from memory), with ties by chance.
"""

from __future__ import annotations

from enum import StrEnum
from random import Random

import numpy as np
from numpy.typing import NDArray

from rombel.model.drill import DrillBook
from rombel.simulate.cluster import Cluster, Ints

Flags = NDArray[np.bool_]


class Score(StrEnum):
    """Which of the nodes that pass is taken."""

    TIGHT = "tight"
    LEAST_ALLOCATED = "least allocated"


def passing(cluster: Cluster, i: int, home: int, kept: Ints | None = None) -> Flags:
    """Return (N,) which nodes a replica of a workload may be placed on now; ``home`` is the zone it is bound to, -1: none.

    ``kept`` (N, R) is room that is meant for others.
    """
    workload = cluster.workloads[i]
    most = cluster.most[cluster.offer, i]
    free = cluster.free if kept is None else cluster.free - kept
    mask: Flags = cluster.takes & (cluster.bound[:, i] < most) & (free >= cluster.request[i]).all(axis=1)
    if home >= 0:
        mask &= cluster.zone_of_offer[cluster.offer] == home
    for name in workload.apart | {w.name for w in cluster.workloads if workload.name in w.apart}:
        if name in cluster.index:
            mask &= cluster.bound[:, cluster.index[name]] == 0
    if 0 < workload.interruptible_share < 1:
        risky = cluster.risky[cluster.offer]
        if cluster.bound[risky, i].sum() + 1 > workload.interruptible_share * cluster.wished[i] + 1e-9:
            mask &= ~risky
    if not mask.any():
        return mask
    may = (most > 0) & cluster.listed
    skew = 0 if workload.equal_zones else workload.zone_skew
    if skew is not None and may.any():
        domains = np.unique(cluster.zone_of_offer[cluster.offer[may]])
        counts = cluster.in_zones(i)
        # Equal counts cannot be kept while replicas come one by one; a difference of one is what is left of them.
        fits = counts + 1 - counts[domains].min() <= max(1, skew)
        mask &= fits[cluster.zone_of_offer[cluster.offer]]
    if workload.node_skew is not None and may.any():
        mask &= cluster.bound[:, i] + 1 - cluster.bound[may, i].min() <= workload.node_skew
    return mask


def choose(cluster: Cluster, i: int, home: int, score: Score, rng: Random, kept: Ints | None = None) -> int:
    """Return the node for a replica of a workload; -1 where none passes."""
    found = np.flatnonzero(passing(cluster, i, home, kept))
    if not len(found):
        return -1
    room = np.maximum(cluster.room[cluster.offer[found]], 1)
    left = (cluster.free[found] - cluster.request[i]) / room
    if score is Score.TIGHT:
        # The scarcest resource first: what is left of it decides how useful the rest still is.
        return int(found[int(np.argmin(left.min(axis=1)))])
    mean = left[:, :2].mean(axis=1)
    best = found[mean >= mean.max() - 1e-12]
    return int(best[rng.randrange(len(best))])


def displaced(cluster: Cluster, book: DrillBook, i: int, home: int) -> tuple[int, dict[int, int]] | None:
    """Return a node on which replicas of lower priority make room for one, and how many of each; None: there is none.

    The node where fewest replicas have to go, lowest priorities first; of equals the first.
    """
    own = book.behaviour_of(cluster.workloads[i].name).priority
    priorities = [book.behaviour_of(w.name).priority for w in cluster.workloads]
    lower = sorted((p, k) for k, p in enumerate(priorities) if p < own)
    best: tuple[int, dict[int, int]] | None = None
    for node in np.flatnonzero(cluster.takes & (cluster.most[cluster.offer, i] > cluster.bound[:, i])) if lower else ():
        if home >= 0 and cluster.zone_of(int(node)) != home:
            continue
        free, gone = cluster.free[node].copy(), dict[int, int]()
        for _, k in lower:
            while cluster.bound[node, k] > gone.get(k, 0) and (free < cluster.request[i]).any():
                gone[k] = gone.get(k, 0) + 1
                free += cluster.request[k]
        if (free >= cluster.request[i]).all() and (best is None or sum(gone.values()) < sum(best[1].values())):
            best = int(node), gone
    return best

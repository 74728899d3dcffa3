"""Step 7. Why there is no fit where a relaxation or the whole search says so: which replicas find no room, held back by what."""

from __future__ import annotations

from collections.abc import Callable, Iterator

import numpy as np

from rombel.fit.bounds._highs import Stop
from rombel.fit.bounds.exact import ExactParams, Without, solve_exact
from rombel.fit.problem.instance import UNLIMITED, Floats, Instance
from rombel.fit.problem.reasons import find, in_words
from rombel.model.fit_problem import Survival


def room_reasons(instance: Instance, unplaced: Floats, *, proved: bool) -> Iterator[str]:
    """Yield one sentence for each class that finds no room although each replica alone would fit.

    Parameters
    ----------
    instance
        The problem.
    unplaced
        (I,) replicas without a place: at least so many in any answer when proved, else in the best that was tried.
    proved
        Whether no answer can do better.

    """
    # Without a proof of which rule it is, the rules that the problem has at all are named.
    cause = in_words([word for word, there in _RULES.items() if there[1](instance)]) or "the rules together"
    for i in np.flatnonzero(unplaced > 1e-6):
        workload = instance.workloads[int(i)]
        missing = int(np.ceil(unplaced[i] - 1e-6))
        if proved:
            yield f"{workload.name}: at least {missing} of {instance.total[i]} replicas find no room under {cause}."
        else:
            yield (
                f"{workload.name}: {missing} of {instance.total[i]} replicas found no room under {cause} in what was tried; "
                "that they cannot is not proved."
            )
    if not proved and not (unplaced > 1e-6).any():
        yield "It was stopped before an answer was found."


def placed_reasons(instance: Instance, params: ExactParams, stop: Stop) -> tuple[str, ...]:
    """Return for a small problem without an answer how many replicas can be placed at most, and which rules hold the others back.

    A rule holds others back where more could be placed without it. Nothing is returned where the problem is too large to be
    searched to the end.
    """
    # Nodes cost nothing here: what is sought is only how many can be placed.
    found = solve_exact(instance, params, stop=stop, most=True)
    if found is None or not found.optimal or not found.unplaced.any():
        return ()
    missing = int(found.unplaced.sum())
    # A family of rules is a cause when more find a place without it.
    causes = []
    for word, (without, there) in _RULES.items():
        if there(instance):
            freed = solve_exact(instance, params, stop=stop, most=True, without=without)
            if freed is not None and freed.optimal and int(freed.unplaced.sum()) < missing:
                causes.append(word)
    held = f"held back by {in_words(causes)}" if causes else "held back by the rules together"
    # Said with the others where there are some: alone each might have found room.
    alone = len(instance.workloads) == 1
    return tuple(
        f"{instance.workloads[i].name}: {instance.workloads[i].replicas - int(found.unplaced[i])} of "
        f"{instance.workloads[i].replicas} replicas can be placed at most{'' if alone else ' with the others'}; "
        f"{find(int(found.unplaced[i]))} no room, {held}."
        for i in np.flatnonzero(found.unplaced)
    )


def _limits_pools(instance: Instance) -> bool:
    limits = instance.problem.limits
    sizes = (limits.fewest_nodes_per_pool or 0, limits.fewest_nodes_per_zone or 0)
    return limits.most_pools is not None or max(sizes) > 1 or limits.equal_zones


_RULES: dict[str, tuple[Without, Callable[[Instance], bool]]] = {
    "the quotas": (Without(quotas=True), lambda i: bool((i.quota < UNLIMITED).any() or len(i.shared_most))),
    "the spread over zones": (Without(spread=True), lambda i: bool((i.skew >= 0).any())),
    "the limits on pools": (Without(pools=True), _limits_pools),
    "room for the replicas of a lost zone": (Without(promise=True), lambda i: bool(i.lands.any())),
    "replicas that must stand without any one zone": (
        Without(promise=True),
        lambda i: any(i.promise(index) is Survival.STANDING for index in range(len(i.workloads))),
    ),
    "the shares on interruptible nodes": (
        Without(share=True),
        lambda i: bool(i.interruptible.any()) and any(0 < w.interruptible_share < 1 for w in i.workloads),
    ),
}
"""In words, each family of rules: what leaves it out, and whether a problem has any of it."""

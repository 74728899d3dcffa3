"""Quotas that the most nodes and an upgrade's surge do not fit into."""

from __future__ import annotations

from collections.abc import Iterator

from rombel.model.fit_problem import FitProblem, OfferKey, Quota
from rombel.preflight.rule import Found, Grade, When, rule
from rombel.preflight.situation import Situation


@rule("supply.quota", When.JOINING, "supply")
def too_many(at: Situation) -> Found:
    """Stop where the most nodes that may run exceed a quota; care where only the nodes that an upgrade adds do."""
    problem = at.problem
    if problem is None or not at.nodes:
        return
    most = {key: max(at.nodes.get(key, 0), at.most.get(key, 0)) for key in {*at.nodes, *at.most}}
    surging = {key: count + at.surge for key, count in most.items() if count}
    for name, allowed, unit, needed, surged in _uses(problem, most, surging):
        if needed > allowed:
            text = f"{name} allows {allowed} {unit}, {needed} may run"
            yield Grade.STOP, text, "Ask the provider for more before the build, or lower the limits."
        elif surged > allowed:
            text = f"{name} allows {allowed} {unit}, and an upgrade needs {surged}"
            yield Grade.CARE, text, "Ask the provider for more before the first upgrade."


def _uses(
    problem: FitProblem, most: dict[OfferKey, int], surging: dict[OfferKey, int]
) -> Iterator[tuple[str, int, str, int, int]]:
    for entry in problem.instance_types:
        for offer in entry.offers:
            key = entry.key(offer)
            if offer.most_nodes is not None and most.get(key):
                words = f"the quota of {entry.name} ({offer.purchase}) in {offer.zone}"
                yield words, offer.most_nodes, "nodes", most[key], surging[key]
    for quota in problem.limits.quotas:
        sums = [_use(problem, quota, counts) for counts in (most, surging)]
        yield f"the quota {quota.name}", quota.most, quota.unit, sums[0], sums[1]


def _use(problem: FitProblem, quota: Quota, counts: dict[OfferKey, int]) -> int:
    return sum(
        counts.get(entry.key(offer), 0) * quota.use(problem.resources, entry)
        for entry in problem.instance_types
        for offer in entry.offers
        if quota.holds_for(entry, offer)
    )

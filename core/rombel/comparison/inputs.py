"""What two problems ask otherwise, each difference once and in the planner's words."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal
from typing import Any

from rombel.model.demand import parted_name
from rombel.model.fit_problem import FitProblem, InstanceType, NodeLoss, OfferKey, Survival, Workload
from rombel.model.study import HEADROOM
from rombel.model.words import SURVIVED_BY, some

WAYS = {
    Survival.NONE: "not promised",
    Survival.STANDING: "by spare replicas",
    Survival.LANDING: "by reserved room",
    Survival.GROWING: "by new nodes",
}
"""How a loss is survived, as it is read in a table."""


MOST_NAMED = 4
"""More workloads than this are counted and not named."""


@dataclass(frozen=True, slots=True)
class InputChange:
    """One difference of what is asked.

    Parameters
    ----------
    group
        ``promises``, ``limits``, ``demand`` or ``supply``.
    what
        What it is about.
    before, after
        Both values as text; empty: there is none.
    words
        The difference as part of a sentence, after *because*.

    """

    group: str
    what: str
    before: str
    after: str
    words: str


def input_changes(before: FitProblem, after: FitProblem) -> list[InputChange]:
    """Return what ``after`` asks otherwise than ``before``: promises first, then limits, demand and supply.

    What cannot matter is no difference: the order of rows, types and zones, and resources that nobody requests.
    """
    return [
        *_promises(before, after),
        *_limits(before, after),
        *_demand(before, after),
        *_supply(before, after),
    ]


def _promises(before: FitProblem, after: FitProblem) -> Iterator[InputChange]:
    # Workloads that only one side has are told under demand, with all they promise.
    was, now = ({w.name: w for w in problem.workloads if w.name != HEADROOM} for problem in (before, after))
    zones: dict[tuple[Survival, Survival], list[str]] = {}
    losses: dict[tuple[NodeLoss, NodeLoss], list[str]] = {}
    for name in was.keys() & now.keys():
        # By workload and not by problem: one promise for all and the same one for each are no difference.
        ways = before.promise_of(was[name]), after.promise_of(now[name])
        if ways[0] is not ways[1]:
            zones.setdefault(ways, []).append(name)
        pair = before.node_promise_of(was[name]), after.node_promise_of(now[name])
        if pair[0] != pair[1] and any(loss.promised for loss in pair):
            losses.setdefault(pair, []).append(name)
    # Grouped, so that fifty workloads with the same change are one line.
    for (how, then), names in sorted(zones.items()):
        who = _who(names, len(was))
        yield InputChange("promises", f"loss of a zone{who}", WAYS[how], WAYS[then], _zone_words(how, then) + who)
    for (first, second), names in sorted(losses.items(), key=lambda entry: sorted(entry[1])):
        who = _who(names, len(was))
        lost = "any node" if second.count == 1 else f"any {second.count} nodes"
        words = f"the loss of {lost} is promised{who}"
        if not second.promised:
            words = f"the loss of nodes is no longer promised{who}"
        yield InputChange("promises", f"loss of nodes{who}", _node_words(first), _node_words(second), words)


def _zone_words(before: Survival, after: Survival) -> str:
    if after is Survival.NONE:
        return f"the loss of a zone is no longer survived by {SURVIVED_BY[before]}"
    if before is Survival.NONE:
        return f"the loss of a zone is now survived by {SURVIVED_BY[after]}"
    return f"the loss of a zone is survived by {SURVIVED_BY[after]} and no longer by {SURVIVED_BY[before]}"


def _node_words(loss: NodeLoss) -> str:
    return f"any {loss.count}, {WAYS[loss.how]}" if loss.promised else WAYS[Survival.NONE]


def _who(names: Sequence[str], of: int) -> str:
    """Return for which workloads, where it is not all of them."""
    # Rows that are kept together are one workload of the problem; people know them by their own names.
    own = sorted(member for name in names for member, _ in parted_name(name))
    if len(names) == of:
        return ""
    return f" for {some(own)}" if len(own) <= MOST_NAMED else f" for {len(own)} workloads"


def _limits(before: FitProblem, after: FitProblem) -> Iterator[InputChange]:
    names = {
        "most_pools": "most pools",
        "fewest_nodes_per_pool": "fewest nodes of a pool",
        "fewest_nodes_per_zone": "fewest nodes of a pool in a zone",
        "equal_zones": "as many nodes of a pool in every zone",
    }
    for field, what in names.items():
        yield from _one("limits", what, getattr(before.limits, field), getattr(after.limits, field))
    parts = {*before.limits.headroom, *after.limits.headroom}
    for name in sorted(parts):
        own = (f"{problem.limits.headroom.get(name, 0)} %" for problem in (before, after))
        yield from _one("limits", f"kept free of {name.split('_')[0]} on every node", *own)
    was, now = ({q.name: q for q in problem.limits.quotas} for problem in (before, after))
    for name in sorted(was.keys() | now.keys()):
        own = (f"{quota.most} {quota.unit}" if (quota := side.get(name)) else "none" for side in (was, now))
        yield from _one("limits", f"quota {name}", *own)


def _one(group: str, what: str, before: Any, after: Any) -> Iterator[InputChange]:
    """Yield a value that differs; None and false: there is none."""
    first, second = (_shown(value) for value in (before, after))
    if first != second:
        yield InputChange(group, what, first, second, f"{what}: {second or 'none'} in place of {first or 'none'}")


def _shown(value: Any) -> str:
    if value is None or value is False:
        return "none"
    return "yes" if value is True else str(value)


def _demand(before: FitProblem, after: FitProblem) -> Iterator[InputChange]:
    was, now = ({w.name: w for w in problem.workloads} for problem in (before, after))
    for names, words in ((now.keys() - was.keys(), "new"), (was.keys() - now.keys(), "gone")):
        for name in sorted(names):
            own = (now if words == "new" else was)[name]
            shown = name if name != HEADROOM else "room kept for more replicas"
            count, is_new = str(own.replicas), words == "new"
            yield InputChange("demand", shown, "" if is_new else count, count if is_new else "", f"{shown} is {words}")
    for name in sorted(was.keys() & now.keys()):
        first, second = was[name], now[name]
        shown = name if name != HEADROOM else "room kept for more replicas"
        if first.replicas != second.replicas:
            words = f"{shown} has {second.replicas} replicas and not {first.replicas}"
            yield InputChange("demand", f"{shown}, replicas", str(first.replicas), str(second.replicas), words)
        for resource in sorted({*before.resources, *after.resources}):
            amounts = [_amount(problem, own, resource) for problem, own in ((before, first), (after, second))]
            if amounts[0] != amounts[1]:
                # The name holds its unit: CPU millicores, memory bytes.
                unit = resource.replace("_", " ")
                words = f"{shown} requests {amounts[1]} {unit} and not {amounts[0]}"
                yield InputChange("demand", f"{shown}, {unit}", str(amounts[0]), str(amounts[1]), words)
        rules = [_rules(own) for own in (first, second)]
        for what in sorted(rules[0].keys() | rules[1].keys()):
            then, since = (own.get(what, "free") for own in rules)
            if then != since:
                words = f"{shown}, {what}: {since} in place of {then}"
                yield InputChange("demand", f"{shown}, {what}", then, since, words)


def _amount(problem: FitProblem, row: Workload, resource: str) -> int:
    return row.request[problem.resources.index(resource)] if resource in problem.resources else 0


def _rules(row: Workload) -> Mapping[str, str]:
    """Return where replicas may stand, by what it is called; types by their number: their names are told under supply."""
    stated = {
        "most on a node": row.most_per_node,
        "spread over zones": row.zone_skew,
        "spread over nodes": row.node_skew,
        "zones": None if row.zones is None else ", ".join(sorted(row.zones)),
        "apart from": ", ".join(sorted(row.apart)) or None,
        "share that may be interrupted": f"{row.interruptible_share:.0%}" if row.interruptible_share else None,
        "must serve": row.must_stand,
    }
    return {what: str(value) for what, value in stated.items() if value is not None}


def _supply(before: FitProblem, after: FitProblem) -> Iterator[InputChange]:
    if set(before.zones) != set(after.zones):
        first, second = (", ".join(sorted(problem.zones)) for problem in (before, after))
        yield InputChange("supply", "zones", first, second, f"it stands in {second} and not in {first}")
    sides = [{entry.name: entry for entry in problem.instance_types} for problem in (before, after)]
    kinds = [sorted({str(offer.purchase) for entry in side.values() for offer in entry.offers}) for side in sides]
    if kinds[0] != kinds[1]:
        first, second = (", ".join(own) for own in kinds)
        added, left = ([kind for kind in one if kind not in other] for one, other in (kinds[::-1], kinds))
        said = [
            f"{' and '.join(added)} may be bought too" if added else "",
            f"{' and '.join(left)} may not" if left else "",
        ]
        yield InputChange("supply", "kinds of purchase", first, second, ", ".join(filter(None, said)))
    gone, new = (sorted(one.keys() - other.keys()) for one, other in (sides, sides[::-1]))
    # In other zones altogether another list is sold, and a line for each type would say nothing.
    if set(before.zones) & set(after.zones) and (gone or new):
        said = [f"{some(new)} can be had" if new else "", f"{some(gone)} cannot be had" if gone else ""]
        yield InputChange("supply", "instance types", some(gone), some(new), " and ".join(filter(None, said)))
    yield from _prices(*(_offers(side.values()) for side in sides))
    kept = [
        name
        for name in sides[0].keys() & sides[1].keys()
        if _usable(before, sides[0][name]) != _usable(after, sides[1][name])
    ]
    if kept:
        words = f"nodes of {some(sorted(kept))} have other room for workloads"
        yield InputChange("supply", "room of a node", "", "", words)


def _usable(problem: FitProblem, entry: InstanceType) -> Mapping[str, int]:
    """Return what workloads may use of a node, daemon workloads taken off; what is named and offered by none is left out."""
    usable = zip(problem.resources, problem.usable(entry), strict=True)
    # Volumes and named resources stand in a problem only where somebody asks for them.
    return {name: amount for name, amount in usable if name in ("cpu_millicores", "memory_bytes", "pods")}


def _offers(types: Any) -> dict[OfferKey, Decimal]:
    return {entry.key(offer): offer.price_per_hour for entry in types for offer in entry.offers}


def _prices(was: Mapping[OfferKey, Decimal], now: Mapping[OfferKey, Decimal]) -> Iterator[InputChange]:
    moved = Counter(
        # Counted and not listed: a newer price list moves hundreds.
        "dearer" if now[key] > was[key] else "cheaper"
        for key in was.keys() & now.keys()
        if now[key] != was[key]
    )
    if moved:
        words = " and ".join(f"{count} offers are {kind}" for kind, count in sorted(moved.items()))
        yield InputChange("supply", "prices", "", words, words)

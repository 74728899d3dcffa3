"""What traffic is charged, and to whom: as rows state it, the rest of what the study states evenly.

Traffic between zones is what leaves the zone of its sender. Where every replica sends to every replica of its receiver alike, as a service without
a preference for a zone does, the part of it is ``1 - sum over zones of p r``: ``p`` and ``r`` are the shares of sender and receiver that stand there.
"""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterable, Iterator, Mapping, Sequence
from fractions import Fraction

from rombel.ledger.bill import Charge
from rombel.model.beside import BesideCost, Per
from rombel.model.demand import Demand, WorkloadKind, parted_name
from rombel.model.fit_solution import NodeBatch
from rombel.model.traffic import OUTSIDE

STATED = "as rows state it"
RECEIVER_UNSAID = "as rows state it, receivers taken to stand evenly in all zones"
EVENLY = "stated by no row, shared evenly by replica"
_GIB = 2**30
_Sent = dict[str, Fraction]


def standing_in_zones(nodes: Iterable[NodeBatch]) -> dict[str, Counter[str]]:
    """Return by workload how many of its replicas stand in each zone; members of a group that shares nodes by themselves."""
    found: defaultdict[str, Counter[str]] = defaultdict(Counter)
    for batch in nodes:
        for joined, count in batch.replicas.items():
            for name, times in parted_name(joined):
                found[name][batch.zone] += count * times * batch.count
    return dict(found)


def traffic_charges(
    cost: BesideCost, rows: Sequence[Demand], nodes: Sequence[NodeBatch], months: Fraction, source: str
) -> Iterator[Charge]:
    """Yield what traffic is charged.

    Parameters
    ----------
    cost
        A fee by GiB, counted by ``out`` or ``crossing``; its count is what the study states for all, 0 for no more than rows state.
    rows, nodes
        Who sends what, and where it stands.
    months
        Length of the period in months of 730 hours.
    source
        Where the price is from.

    """
    zones = Counter[str]()
    for batch in nodes:
        zones[batch.zone] += batch.count
    standing = standing_in_zones(nodes)
    # A daemon's replicas are in no batch: one runs on every node.
    standing |= {row.full_name: zones for row in rows if row.kind is WorkloadKind.DAEMON}
    sent = {STATED: _to_outside(rows)} if cost.per is Per.OUT else _between_zones(rows, standing, sorted(zones))
    lines = [(words, own) for words, own in sent.items() if own]
    stated = sum((gib for _, own in lines for gib in own.values()), Fraction(0))
    if cost.count > stated:
        silent = [row.full_name for row in rows if not row.traffic] or [row.full_name for row in rows]
        weights = {name: Fraction(standing[name].total()) for name in silent if name in standing}
        if whole := sum(weights.values(), Fraction(0)):
            rest = cost.count - stated
            lines.append((EVENLY, {name: rest * weight / whole for name, weight in weights.items() if weight}))
    for words, own in lines:
        quantity = sum(own.values(), Fraction(0))
        yield Charge(
            cost.name, words, "", "", quantity, cost.unit, cost.price, months, source, tuple(sorted(own.items()))
        )


def _to_outside(rows: Sequence[Demand]) -> _Sent:
    found = {row.full_name: sum(sent.size_bytes for sent in row.traffic if sent.to == OUTSIDE) for row in rows}
    return {name: Fraction(size, _GIB) for name, size in found.items() if size}


def _between_zones(
    rows: Sequence[Demand], standing: Mapping[str, Mapping[str, int]], zones: Sequence[str]
) -> dict[str, _Sent]:
    """Return in words how it is known, and by sender, the GiB that leave their zone."""
    share = {
        name: {zone: Fraction(count, sum(own.values())) for zone, count in own.items()}
        for name, own in standing.items()
        if sum(own.values())
    }
    even = {zone: Fraction(1, len(zones)) for zone in zones}
    found: dict[str, defaultdict[str, Fraction]] = {
        STATED: defaultdict(Fraction),
        RECEIVER_UNSAID: defaultdict(Fraction),
    }
    for row in rows:
        for sent in row.traffic:
            if sent.to == OUTSIDE or row.full_name not in share:
                continue
            receiver = share.get(sent.to)
            stays = sum(
                (part * (receiver or even).get(zone, Fraction(0)) for zone, part in share[row.full_name].items()),
                Fraction(0),
            )
            words = RECEIVER_UNSAID if receiver is None else STATED
            found[words][row.full_name] += Fraction(sent.size_bytes, _GIB) * (1 - stays)
    return {words: {name: gib for name, gib in own.items() if gib} for words, own in found.items()}

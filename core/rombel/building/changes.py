"""What is to be done so that a cluster is as planned: a list in the order of dependencies, each with its reason, time, cost and risk."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from decimal import Decimal
from enum import StrEnum
from ipaddress import ip_network

from rombel.building.durations import Span, Times, Work, finished_at
from rombel.building.parts import Part, PartKind


class Doing(StrEnum):
    """What is done to a part."""

    CREATE = "create"
    CHANGE = "change"
    KEEP = "keep"
    REMOVE = "remove"


_PLACE = {Doing.CREATE: 0, Doing.CHANGE: 1, Doing.REMOVE: 2}


@dataclass(frozen=True, slots=True)
class Change:
    """One entry of the list.

    Parameters
    ----------
    part, doing
        What is done to which part.
    needs
        Keys of the entries that are done before it.
    reason
        Why, in words.
    risk
        What may go wrong, where it is risky; else empty.
    span
        How long it takes.
    cost_per_hour
        What is paid from then on, less than zero where it saves.

    """

    part: Part
    doing: Doing
    needs: tuple[str, ...]
    reason: str
    risk: str
    span: Span
    cost_per_hour: Decimal

    @property
    def key(self) -> str:
        """Return the key of its part."""
        return self.part.key

    @property
    def work(self) -> Work:
        """Return it as a clock sees it."""
        return Work(self.key, self.needs, self.span)


_NO_TIME = Span(0.0, 0.0)


def change_list(
    wanted: Mapping[str, Part],
    standing: Mapping[str, Part],
    *,
    prices: Mapping[str, Decimal] | None = None,
    times: Times | None = None,
    taken: Collection[str] = (),
    renew: bool = False,
    volumes: bool = False,
) -> tuple[Change, ...]:
    """Return what is done from what stands to what is wanted; what is kept comes first, then the rest in the order of dependencies.

    New parts stand before old ones go, so that replicas have somewhere to move to; of a pool whose nodes go, one goes before the
    others; of a pool whose nodes change, one changes after the other.

    Parameters
    ----------
    wanted, standing
        Parts by key, as ``parts_of`` returns them.
    prices
        What a pool's node costs an hour, by the pool's key, and other parts by their own.
    times
        How long things take.
    taken
        Keys of parts of which nothing tells that they stand, and that are taken to.
    renew
        Whether every node that stands is replaced by a new one.
    volumes
        Whether volumes that nobody wants go too, after everything else; else they stay.

    """
    prices, times = prices or {}, times or Times()
    doings = {key: _doing(part, standing.get(key), renew=renew) for key, part in wanted.items()}
    gone = [key for key in standing if key not in wanted]
    # What is kept in a volume is nobody's to delete by the way.
    stays = {key for key in gone if standing[key].kind is PartKind.VOLUME and not volumes}
    doings |= {key: Doing.KEEP if key in stays else Doing.REMOVE for key in gone}
    parts = {**standing, **wanted}
    needs = _needs(parts, standing, doings)
    found = {}
    for key, doing in doings.items():
        part = parts[key]
        span = _NO_TIME if doing is Doing.KEEP else times.spans[part.kind][_PLACE[doing]]
        sign = {Doing.CREATE: 1, Doing.REMOVE: -1}.get(doing, 0)
        price = Decimal(0) if part.kind is PartKind.POOL else prices.get(_priced_by(part), Decimal(0))
        reason, risk = _why(part, doing, standing.get(key)), _risk(part, doing)
        if key in stays:
            reason = "volumes stay unless it is said that they go"
        if key in taken and doing is Doing.KEEP:
            reason = "a listing of nodes and pods does not tell; it is taken to stand"
        found[key] = Change(part, doing, needs[key], reason, risk, span, sign * price)
    return tuple(_ordered(found))


def _priced_by(part: Part) -> str:
    return part.needs[0] if part.kind is PartKind.NODE else part.key


def _doing(part: Part, stands: Part | None, *, renew: bool) -> Doing:
    if stands is None:
        return Doing.CREATE
    if renew and part.kind is PartKind.NODE:
        return Doing.CHANGE
    return Doing.CHANGE if _otherwise(part, stands) else Doing.KEEP


def _otherwise(part: Part, stands: Part) -> list[str]:
    """Return the facts that are stated on both sides and differ; what one side does not tell is nothing to be changed.

    A range that stands and is large enough is left where it is: to move it would be to make everything in it anew.
    """
    if part.kind is PartKind.RANGE and _holds(stands, part):
        return []
    return [name for name in part.facts if name in stands.facts and part.facts[name] != stands.facts[name]]


def _holds(stands: Part, wanted: Part) -> bool:
    one, other = ip_network(stands.facts["range"]), ip_network(wanted.facts["range"])
    return one.version == other.version and one.prefixlen <= other.prefixlen


def _needs(
    parts: Mapping[str, Part], standing: Mapping[str, Part], doings: Mapping[str, Doing]
) -> dict[str, tuple[str, ...]]:
    moved = (Doing.CREATE, Doing.CHANGE)
    found = {
        key: [need for need in parts[key].needs if doings.get(need) in moved] if doings[key] in moved else []
        for key in doings
    }
    for key, part in standing.items():
        if doings[key] is Doing.REMOVE:
            # Taken away in the other direction: what stands on it goes first.
            for need in part.needs:
                if doings.get(need) is Doing.REMOVE:
                    found[need].append(key)
    others = [key for key, doing in doings.items() if doing is Doing.REMOVE and parts[key].kind is not PartKind.VOLUME]
    for key, doing in doings.items():
        if doing is Doing.REMOVE and parts[key].kind is PartKind.VOLUME:
            found[key] += others
    new_nodes = [key for key in doings if parts[key].kind is PartKind.NODE and doings[key] is Doing.CREATE]
    last_of: dict[str, str] = {}
    first_gone: dict[str, str] = {}
    for key in doings:
        if parts[key].kind is not PartKind.NODE:
            continue
        pool = parts[key].needs[0]
        if doings[key] is Doing.REMOVE:
            # The first node of a pool goes alone: what does not find a place elsewhere is seen before the others go.
            found[key] += new_nodes if pool not in first_gone else [first_gone[pool]]
            first_gone.setdefault(pool, key)
        elif doings[key] is Doing.CHANGE:
            found[key] += [last_of[pool]] if pool in last_of else []
            last_of[pool] = key
    return {key: tuple(needs) for key, needs in found.items()}


def _why(part: Part, doing: Doing, stands: Part | None) -> str:
    if doing is Doing.CREATE:
        return "it is wanted and does not stand"
    if doing is Doing.REMOVE:
        return "it stands and is not wanted any more"
    if stands is None or doing is Doing.KEEP:
        moved = part.kind is PartKind.RANGE and stands is not None and stands.facts != part.facts
        return f"{stands.facts['range']} stands and is large enough" if moved and stands else "it stands as planned"
    differs = _otherwise(part, stands)
    return (
        "it is replaced by a new one"
        if not differs
        else "; ".join(f"{name} {stands.facts[name]} becomes {part.facts[name]}" for name in sorted(differs))
    )


_RISKS = {
    (kind, doing): words
    for kind, doing, words in (
        (PartKind.VOLUME, Doing.REMOVE, "What is kept in it is gone for good: see that a copy can be read first."),
        (PartKind.CONTROL_PLANE, Doing.REMOVE, "The cluster and everything that is stored in its API is gone."),
        (PartKind.RANGE, Doing.CHANGE, "A range is not changed in place unless it only grows: what has its addresses from it is made anew."),
        (PartKind.CONTROL_PLANE, Doing.CHANGE, "Nothing heals or scales while a member is away, and a version is not taken back."),
        (PartKind.POOL, Doing.REMOVE, "Workloads that may run on it alone have nowhere to go."),
        (PartKind.RANGE, Doing.REMOVE, "Its addresses are given back; whoever has them in a list outside loses the way in."),
        (PartKind.GATEWAY, Doing.REMOVE, "What calls out through it has another public address from then on."),
        (PartKind.NODE, Doing.REMOVE, "Its replicas move, as their disruption budgets allow."),
        (PartKind.NODE, Doing.CHANGE, "Its replicas move, as their disruption budgets allow."),
    )
}  # fmt: skip
"""The gravest first."""


def _risk(part: Part, doing: Doing) -> str:
    return _RISKS.get((part.kind, doing), "")


def _ordered(found: Mapping[str, Change]) -> Iterator[Change]:
    """Yield what is kept, then each entry once all that it needs was yielded; of several the one that was listed first."""
    yield from (change for change in found.values() if change.doing is Doing.KEEP)
    # Whoever does one thing at a time ends them in just this order.
    works = [change.work for change in found.values() if change.doing is not Doing.KEEP]
    yield from (found[key] for key in finished_at(works, 1, lambda _: 1.0))


def risky(changes: Sequence[Change]) -> list[tuple[Change, int]]:
    """Return what is risky, the gravest first, nodes of one pool as one entry with how many they are."""
    together: dict[tuple[str, Doing, str], list[Change]] = {}
    for change in changes:
        if change.risk:
            own = change.part.needs[0] if change.part.kind is PartKind.NODE else change.key
            together.setdefault((change.part.kind, change.doing, own), []).append(change)
    gravest = list(_RISKS)
    ordered = sorted(together.values(), key=lambda own: gravest.index((own[0].part.kind, own[0].doing)))
    return [
        (replace(own[0], cost_per_hour=sum((each.cost_per_hour for each in own), start=Decimal(0))), len(own))
        for own in ordered
    ]

"""What two plans have otherwise, and sentences that say it."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from decimal import Decimal

from rombel.comparison.inputs import InputChange
from rombel.model.fit_problem import OfferKey
from rombel.model.words import some

MOST_ZONES_TOLD = 4
"""Changes of nodes in more zones than this are told as totals."""
MOST_CAUSES = 4
SHORT_MINUTES = 1 / 60
"""Less than a second a month is no difference that anybody could tell."""
_NUMBERS = ("no", "one", "two", "three", "four", "five", "six", "seven", "eight", "nine", "ten", "eleven", "twelve")


@dataclass(frozen=True, slots=True)
class Side:
    """A plan as far as it is compared.

    Parameters
    ----------
    name, currency
        What it is called, and in what its cost is stated.
    cost
        A month with all fees; None: not known.
    nodes
        By instance type, purchase and zone.
    down
        By journey, minutes a month for which it is down.

    """

    name: str
    currency: str
    cost: Decimal | None
    nodes: Mapping[OfferKey, int]
    down: Mapping[str, float] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class ZoneChange:
    """Nodes that a zone gains (above 0) and loses, by instance type and kind of purchase."""

    zone: str
    nodes: Mapping[tuple[str, str], int]


def zone_changes(before: Side, after: Side) -> list[ZoneChange]:
    """Return what each zone gains and loses, zones and pools by name."""
    found: dict[str, Counter[tuple[str, str]]] = {}
    for side, sign in ((before, -1), (after, 1)):
        for (name, purchase, zone), count in side.nodes.items():
            found.setdefault(zone, Counter())[name, str(purchase)] += sign * count
    changed = {zone: {pool: n for pool, n in sorted(own.items()) if n} for zone, own in sorted(found.items())}
    return [ZoneChange(zone, own) for zone, own in changed.items() if own]


def best(values: Sequence[Decimal | float | None], *, less: bool = True) -> list[int]:
    """Return the places of the best of several figures; none where all that are known are equal."""
    known = [value for value in values if value is not None]
    # Nothing is better than its equal, nor than what is not known.
    if len({*known}) < 2:
        return []
    wanted = min(known) if less else max(known)
    return [place for place, value in enumerate(values) if value == wanted]


def told(before: Side, after: Side, asked: Sequence[InputChange] | None) -> list[str]:
    """Return sentences: what changes and why, what it costs, what it does to journeys.

    *Because* is said only where one thing alone is asked otherwise; with several nobody knows which of them did it, so they are listed.
    ``asked`` None: nobody knows what was asked of one of them, and nothing is said of it.
    """
    inputs = asked or ()
    changes = zone_changes(before, after)
    nodes = _nodes(before, after, changes)
    one = inputs[0].words if len(inputs) == 1 else ""
    first = f"{nodes}{f', because {one}' if one and changes else ''}."
    sentences = [first[0].upper() + first[1:]]
    if one and not changes:
        sentences.append(f"What is asked otherwise changes no node: {one}.")
    elif len(inputs) > 1:
        sentences.append(asked_otherwise(inputs))
    elif asked is not None and not inputs and changes:
        sentences.append("The same is asked of both: they are two answers to one question.")
    sentences.append(_cost(before, after))
    return [*sentences, *_journeys(before, after)]


def asked_otherwise(inputs: Sequence[InputChange]) -> str:
    """Return a sentence on what is asked otherwise, at least one thing; nothing is said of what follows from it."""
    more = f" and {len(inputs) - MOST_CAUSES} more" if len(inputs) > MOST_CAUSES else ""
    words = "; ".join(change.words for change in inputs[:MOST_CAUSES])
    things = "One thing is" if len(inputs) == 1 else f"{len(inputs)} things are"
    return f"{things} asked otherwise: {words}{more}."


def _nodes(before: Side, after: Side, changes: Sequence[ZoneChange]) -> str:
    if not changes:
        return "the same nodes run"
    # Zone by zone as long as it can be read aloud; after that only sums.
    if len(changes) <= MOST_ZONES_TOLD and sum(len(change.nodes) for change in changes) <= 2 * MOST_ZONES_TOLD:
        return "; ".join(_zone(change) for change in changes)
    was, now = (sum(side.nodes.values()) for side in (before, after))
    sums: Counter[str] = Counter()
    for change in changes:
        for (name, purchase), count in change.nodes.items():
            sums[_pool(name, purchase)] += count
    most = sorted(((n, name) for name, n in sums.items() if n), key=lambda entry: (-abs(entry[0]), entry[1]))
    whole = f"{now} nodes in place of {was}" if now != was else f"{now} nodes as before, others among them"
    return f"{whole}: {some([f'{count:+d} {name}' for count, name in most])}" if most else f"{whole}, in other zones"


def _zone(change: ZoneChange) -> str:
    gained = [_counted(n, pool) for pool, n in change.nodes.items() if n > 0]
    lost = [_counted(-n, pool) for pool, n in change.nodes.items() if n < 0]
    parts = [f"loses {' and '.join(lost)}" if lost else "", f"gains {' and '.join(gained)}" if gained else ""]
    return f"{change.zone} {' and '.join(filter(None, parts))}"


def _counted(count: int, pool: tuple[str, str]) -> str:
    return f"{_NUMBERS[count] if count < len(_NUMBERS) else count} {_pool(*pool)}"


def _pool(name: str, purchase: str) -> str:
    return name if purchase == "on-demand" else f"{name} ({purchase})"


def _cost(before: Side, after: Side) -> str:
    if before.cost is None or after.cost is None:
        return "What it costs is not known of both."
    if before.currency != after.currency:
        return f"{after.cost:,.2f} {after.currency} a month, {before.cost:,.2f} {before.currency} before."
    gap = after.cost - before.cost
    if not gap:
        return f"It costs the same, {after.cost:,.2f} {after.currency} a month."
    return f"{abs(gap):,.2f} {after.currency} a month {'more' if gap > 0 else 'less'}."


def _journeys(before: Side, after: Side) -> list[str]:
    found = []
    for name in sorted(before.down.keys() & after.down.keys()):
        gap = after.down[name] - before.down[name]
        if abs(gap) >= SHORT_MINUTES:
            found.append((-abs(gap), f"{name} is down {_time(abs(gap))} a month {'more' if gap > 0 else 'less'}."))
    return [words for _, words in sorted(found)]


def _time(minutes: float) -> str:
    seconds = round(60 * minutes)
    hours, rest = divmod(seconds, 3600)
    parts = ((hours, "h"), (rest // 60, "min"), (rest % 60, "s"))
    return " ".join(f"{value} {unit}" for value, unit in parts if value) or "less than 1 s"

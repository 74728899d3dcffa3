"""A sweep in one sentence, as a planner types it and as it is read back.

Parts are joined by ``by``: what is decided and what is unknown, each with its values, and how many futures are drawn at random::

    demand -10, 0, 20 % by interruptible prices 0, 50 % by variants all
    60 futures of demand 0 to 40 % likely 15 and prices -10 to 20 % by promise reserved room, spare replicas
"""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from decimal import Decimal

from rombel.errors import InputRefused, refuse
from rombel.model.fit_problem import Survival
from rombel.model.words import SURVIVED_BY
from rombel.sweep.plan import FEWEST_DRAWS, MOST_DRAWS, MOST_POINTS, Choice, Spread, SweepPlan, Unknown, draw

MOST_LETTERS = 1_000
MEASURED = "as measured"
PROMISES: Mapping[str, Survival] = {"none": Survival.NONE} | {words: how for how, words in SURVIVED_BY.items()}
"""How the loss of a zone is survived, by the words of a sentence."""

# ``by`` outside quotation marks: an even number of them follows. Names may hold the word.
_JOIN = re.compile(r"\s+by\s+(?=(?:[^\"]*\"[^\"]*\")*[^\"]*$)", re.IGNORECASE)
_NAMES = re.compile(r'\s*(?:"([^"]*)"|([^",]*))\s*(?:,|$)')
_DRAWN = re.compile(r"(\d{1,6})\s+futures?(?:\s+of)?\s+(.+)", re.IGNORECASE | re.DOTALL)
_AMOUNT = r"[+-]?\d+(?:\.\d)?"
_STEPS = re.compile(rf"({_AMOUNT})\s+to\s+({_AMOUNT})\s+step\s+({_AMOUNT})\s*%?", re.IGNORECASE)
_SPREAD = re.compile(rf"({_AMOUNT})\s+to\s+({_AMOUNT})\s*%?(?:\s+likely\s+({_AMOUNT})\s*%?)?", re.IGNORECASE)
_HOW = "Write such as: demand -10, 0, 20 % by variants all; or: 60 futures of demand 0 to 40 % likely 15 and prices -10 to 20 %."
_BOUNDS = {
    Unknown.DEMAND: (Decimal(-90), Decimal(900)),
    Unknown.GROWTH: (Decimal(0), Decimal(900)),
    Unknown.PRICES: (Decimal(-99), Decimal(900)),
    Unknown.INTERRUPTIBLE: (Decimal(-99), Decimal(900)),
}


@dataclass(frozen=True, slots=True)
class Known:
    """What a sentence may name.

    Parameters
    ----------
    variants, regions
        Names.
    measured
        How demand grows as it was measured; None: it was not.
    own
        The name of the variant that is swept where the sentence names none.

    """

    variants: Sequence[str]
    regions: Sequence[str]
    own: str
    measured: Spread | None = None


@dataclass
class _Read:
    choices: dict[Choice, tuple[str, ...]] = field(default_factory=dict)
    grid: dict[Unknown, tuple[Decimal, ...]] = field(default_factory=dict)
    spreads: dict[Unknown, Spread] = field(default_factory=dict)
    draws: int = 0


def read_sentence(text: str, known: Known, seed: int = 0) -> SweepPlan:
    """Return the plan of a sentence; whatever is drawn at random is drawn here, from the seed.

    Raises
    ------
    InputRefused
        When a part says nothing that is known, stands twice, or there would be too many fits.

    """
    if not text.strip() or len(text) > MOST_LETTERS:
        raise _refused(f"A sweep is said in 1 to {MOST_LETTERS} characters.")
    # Read by hand and not by a grammar of a library: whoever mistypes is told what would have been right at that place.
    found = _Read()
    for part in _JOIN.split(text.strip()):
        _take(part.strip(), found, known)
    if not found.grid and not found.spreads and not found.choices:
        raise _refused("Nothing is changed.")
    # The variant comes first: its points share what is read of it.
    choices = {Choice.VARIANT: (known.own,)} | found.choices
    ordered = {name: choices[name] for name in Choice if name in choices}
    # Drawn once and stored with the plan: a sweep that is resumed goes on with the same futures.
    drawn = draw(found.spreads, found.draws, seed) if found.spreads else {}
    plan = SweepPlan(ordered, found.grid, drawn)
    if plan.size > MOST_POINTS:
        fix = "Leave values out, or draw fewer futures."
        raise refuse("sweep.size", "sentence", f"That are {plan.size:,} fits; at most {MOST_POINTS:,} are made.", fix)
    return plan


def told(plan: SweepPlan) -> str:
    """Return in words what a plan asks, to be read before it is begun."""
    parts = [_counted(len(values), _ONE[name]) for name, values in plan.choices.items() if len(values) > 1]
    parts += [_counted(len(values), f"step of {name}", f"steps of {name}") for name, values in plan.grid.items()]
    if plan.drawn:
        parts.append(f"{plan.draws} drawn futures of {' and '.join(plan.drawn)}")
    product = " × ".join(parts)
    return _counted(plan.size, "fit") + (f": {product}" if len(parts) > 1 else f", {product}" if product else "")


_ONE = {Choice.VARIANT: "variant", Choice.REGION: "region", Choice.PROMISE: "promise"}


def _counted(count: int, one: str, many: str = "") -> str:
    return f"{count:,} {one if count == 1 else many or one + 's'}"


def _take(part: str, found: _Read, known: Known) -> None:
    """Read one part of the sentence."""
    if (drawn := _DRAWN.fullmatch(part)) is not None:
        if found.spreads:
            raise _refused("Futures are drawn in two parts.", "Join what is drawn by 'and'.")
        found.draws = int(drawn[1])
        if not FEWEST_DRAWS <= found.draws <= MOST_DRAWS:
            raise _refused(f"{found.draws} futures cannot be drawn.", f"Draw {FEWEST_DRAWS} to {MOST_DRAWS}.")
        # Within one part all are drawn together: a future is a point of all of them.
        for each in re.split(r"\s+and\s+", drawn[2].strip(), flags=re.IGNORECASE):
            name, rest = _unknown(each)
            _once(name, found)
            found.spreads[name] = _spread(name, rest, known)
        return
    for choice, names in ((Choice.VARIANT, known.variants), (Choice.REGION, known.regions), (Choice.PROMISE, ())):
        # One variant or several variants: both forms are read. A promise has the singular for both.
        head = re.match(rf"{choice[:-1] if choice != Choice.PROMISE else choice}s?\s+", part, re.IGNORECASE)
        if head is not None:
            if choice in found.choices:
                raise _refused(f"'{choice}' stands twice.", "Say each once.")
            rest = part[head.end() :]
            found.choices[choice] = _promises(rest) if choice is Choice.PROMISE else _named(choice, rest, names)
            return
    name, rest = _unknown(part)
    _once(name, found)
    found.grid[name] = _steps(name, rest)


def _once(name: Unknown, found: _Read) -> None:
    if name in found.grid or name in found.spreads:
        raise _refused(f"'{name}' stands twice.", "Say each once.")


def _unknown(part: str) -> tuple[Unknown, str]:
    """Return which unknown a part is about, and what it says of it."""
    # The longer name first, as it ends with the shorter one.
    for name in sorted(Unknown, key=len, reverse=True):
        if re.match(rf"{name}\s", part, re.IGNORECASE):
            return name, part[len(name) :].strip()
    raise _refused(f"'{part[:60]}' says nothing that can be swept.")


def _amount(text: str, name: Unknown) -> Decimal:
    low, high = _BOUNDS[name]
    # The minus sign of typeset text, which copying from a report brings along.
    cleaned = text.strip().replace("−", "-")
    if not re.fullmatch(_AMOUNT, cleaned):
        raise _refused(f"'{text.strip()[:40]}' is no change of {name} in percent.", "Write such as -10, 0, 12.5.")
    value = Decimal(cleaned)
    if name is Unknown.GROWTH and value != int(value):
        raise _refused(f"Growth of {value} % is not whole.", "Write whole percent.")
    if not low <= value <= high:
        raise _refused(f"{name} of {value} % is out of what is computed.", f"Write {low} to {high}.")
    return value


def _steps(name: Unknown, text: str) -> tuple[Decimal, ...]:
    """Return the values of a list, or of a range with a step."""
    text = text.replace("−", "-")
    if (ranged := _STEPS.fullmatch(text)) is not None:
        first, last, step = (_amount(ranged[1], name), _amount(ranged[2], name), Decimal(ranged[3]))
        if step <= 0 or last < first or (last - first) / step > MOST_POINTS:
            raise _refused(f"'{text}' has no steps.", "Write the smaller value first, and a step above 0.")
        return tuple(first + step * place for place in range(int((last - first) / step) + 1))
    # A range without a step could mean its two ends, some between, or all: it is asked for and not guessed.
    if _SPREAD.fullmatch(text):
        fix = f"Write '{text.rstrip(' %')} step 5 %' for steps, or '50 futures of {name} {text}' to draw."
        raise _refused(f"'{name} {text}' does not say which values between.", fix)
    values = tuple(_amount(each, name) for each in text.rstrip("% ").split(","))
    if len({*values}) < len(values):
        raise _refused(f"A value of {name} stands twice.", "Say each once.")
    return values


def _spread(name: Unknown, text: str, known: Known) -> Spread:
    if text.lower() == MEASURED:
        if name is not Unknown.GROWTH or known.measured is None:
            reason = (
                "Only growth is measured." if name is not Unknown.GROWTH else "No growth of this study was measured."
            )
            raise _refused(reason, "Say a range, or bring measurements in under Demand.")
        return known.measured
    found = _SPREAD.fullmatch(text.replace("−", "-"))
    if found is None:
        raise _refused(f"'{text[:60]}' is no range.", "Write such as: demand 0 to 40 % likely 15.")
    low, high = _amount(found[1], name), _amount(found[2], name)
    likely = _amount(found[3], name) if found[3] else None
    if low >= high or (likely is not None and not low <= likely <= high):
        raise _refused(f"'{text[:60]}' is no range.", "Write the smaller value first, what is likely between.")
    return Spread(low, high, likely)


def _names(text: str) -> list[str]:
    """Return names in a list; one with a comma stands in quotation marks."""
    found = [(one or two).strip() for one, two in _NAMES.findall(text)]
    return [name for name in found if name]


def _named(choice: Choice, text: str, names: Sequence[str]) -> tuple[str, ...]:
    if text.strip().lower() == "all":
        return tuple(names)
    found = []
    for name in _names(text):
        # Names that differ in capitals alone are two, where they are written out.
        same = [each for each in names if each == name] or [each for each in names if each.lower() == name.lower()]
        if not same:
            raise _refused(f"There is no {_ONE[choice]} '{name[:60]}'.", f"Name some of {', '.join(names)}; or all.")
        found.append(same[0])
    return _distinct(choice, found)


def _promises(text: str) -> tuple[str, ...]:
    if text.strip().lower() == "all":
        return tuple(str(how) for how in PROMISES.values())
    found = []
    for name in _names(text):
        if name.lower() not in PROMISES:
            raise _refused(f"'{name[:60]}' is no promise.", f"Name some of {', '.join(PROMISES)}; or all.")
        found.append(str(PROMISES[name.lower()]))
    return _distinct(Choice.PROMISE, found)


def _distinct(choice: Choice, found: Sequence[str]) -> tuple[str, ...]:
    if not found or len({*found}) < len(found):
        raise _refused(f"'{choice}' names {'one twice' if found else 'none'}.", "Name each once.")
    return tuple(found)


def _refused(reason: str, fix: str = _HOW) -> InputRefused:
    return refuse("sweep.sentence", "sentence", reason, fix)

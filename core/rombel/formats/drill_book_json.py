"""The drill book as JSON: reading (strict, every fault with its path) and writing."""

from __future__ import annotations

import json
from collections.abc import Iterator, Mapping
from decimal import Decimal
from typing import Any

from rombel.errors import Fault, InputRefused
from rombel.formats._json import load_strict, stated_fields, validate
from rombel.model.demand import Budget
from rombel.model.drill import Behaviour, Drill, DrillBook, DrillKind, DrillStep, Timing
from rombel.model.failure import Failure
from rombel.model.fit_problem import Purchase
from rombel.model.journey import Dependency, Journey, Reach, read_chain, show_chain

FORMAT = "rombel-drill-book/1"


def read_drill_book(text: str) -> DrillBook:
    """Return the book that the JSON text states; what it names is compared with a fit when it is played.

    Raises
    ------
    InputRefused
        When the text breaks the schema, a name stands twice, or a chain is none.

    """
    raw = load_strict(text)
    validate(raw, "drill-book-1")
    return drill_book_of(raw)


def drill_book_of(raw: Mapping[str, Any]) -> DrillBook:
    """Return the book of plain JSON values that meet the schema; refuses names that stand twice."""
    if faults := [*_twice(raw, "drills"), *_twice(raw, "dependencies"), *_twice(raw, "journeys")]:
        raise InputRefused(faults)
    return DrillBook(
        drills=tuple(drill_of(entry) for entry in raw["drills"]),
        timing=Timing(**raw.get("timing", {})),
        behaviours={name: _behaviour(entry) for name, entry in raw.get("workloads", {}).items()},
        members=dict(raw.get("members", {})),
        dependencies=tuple(_dependency(entry) for entry in raw.get("dependencies", ())),
        journeys=tuple(
            Journey(entry["name"], Decimal(entry["target_percent"]), read_chain(entry["chain"], f"journeys[{n}].chain"))
            for n, entry in enumerate(raw.get("journeys", ()))
        ),
        maxima={
            (entry["instance_type"], Purchase(entry["purchase"]), entry["zone"]): entry["most_nodes"]
            for entry in raw.get("maxima", ())
        },
    )


def _twice(raw: Mapping[str, Any], key: str) -> Iterator[Fault]:
    seen: set[str] = set()
    for number, entry in enumerate(raw.get(key, ())):
        if entry["name"] in seen:
            yield Fault(
                "name.twice", f"{key}[{number}].name", f"'{entry['name']}' stands twice.", "Give each its own name."
            )
        seen.add(entry["name"])


def drill_of(raw: Mapping[str, Any]) -> Drill:
    """Return the drill of plain JSON values that meet the schema."""
    steps = []
    for step in raw["steps"]:
        stated: dict[str, Any] = {**step, "kind": DrillKind(step["kind"]), "chosen": tuple(step.get("chosen", ()))}
        steps.append(DrillStep(**stated))
    return Drill(raw["name"], tuple(steps), raw.get("promised", False))


def drill_value(drill: Drill) -> dict[str, Any]:
    """Return a drill as plain JSON values; what stands at its default is left out."""
    return {
        "name": drill.name,
        "promised": drill.promised,
        "steps": [{"kind": str(step.kind)} | _stated(step, DrillStep(step.kind)) for step in drill.steps],
    }


def _stated(value: Any, default: Any) -> dict[str, Any]:
    return stated_fields(value, default, lambda own, _: list(own) if isinstance(own, tuple) else own)


def _behaviour(raw: Mapping[str, Any]) -> Behaviour:
    budget = raw.get("budget")
    return Behaviour(**{**raw, "budget": Budget(**budget) if budget else None})


def _dependency(raw: Mapping[str, Any]) -> Dependency:
    failure = Failure(raw["failures_per_year"], raw["repair_s"])
    return Dependency(raw["name"], Reach(raw["reach"]), failure, raw.get("zone", ""))


def write_drill_book(book: DrillBook) -> str:
    """Return the book as JSON text that ``read_drill_book`` reads."""
    return json.dumps(drill_book_value(book), indent=2, ensure_ascii=False)


def drill_book_value(book: DrillBook) -> dict[str, Any]:
    """Return the book as plain JSON values."""
    return {
        "format": FORMAT,
        "timing": _stated(book.timing, Timing()),
        "workloads": {name: _behaviour_value(entry) for name, entry in book.behaviours.items()},
        "members": dict(book.members),
        "dependencies": [
            {
                "name": entry.name,
                "reach": str(entry.reach),
                "failures_per_year": entry.failure.per_year,
                "repair_s": entry.failure.repair_s,
            }
            | ({"zone": entry.zone} if entry.zone else {})
            for entry in book.dependencies
        ],
        "journeys": [
            {"name": entry.name, "target_percent": f"{entry.target:f}", "chain": show_chain(entry.chain)}
            for entry in book.journeys
        ],
        "maxima": [
            {"instance_type": name, "purchase": str(purchase), "zone": zone, "most_nodes": most}
            for (name, purchase, zone), most in book.maxima.items()
        ],
        "drills": [drill_value(drill) for drill in book.drills],
    }


def _behaviour_value(behaviour: Behaviour) -> dict[str, Any]:
    stated = _stated(behaviour, Behaviour())
    if behaviour.budget is not None:
        stated["budget"] = _stated(behaviour.budget, Budget())
    return stated

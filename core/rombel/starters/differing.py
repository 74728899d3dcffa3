"""What a newer version of a starter would change in a study that was made from an older one."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any

from rombel.model.quantity import show_cpu, show_memory
from rombel.starters.filling import Filled
from rombel.starters.shape import COUNTED, full_name

_SHOWN = {"cpu_millicores": show_cpu, "memory_bytes": show_memory}
_SIZING = {"peak": "load at peak", "least": "fewest", "most": "most"}
_NAMES = {"cpu_millicores": "CPU request", "memory_bytes": "memory request"}


def differences(before: Filled, after: Filled) -> list[str]:
    """Return what is otherwise between two studies that the same answers make, in sentences; the same study: none.

    Workloads are told by name, amounts first; the order of rows says nothing and is not told.
    """
    return [
        *_rows({full_name(row): row for row in before.rows}, {full_name(row): row for row in after.rows}),
        *_journeys(before.study, after.study),
        *_parts("It states", _others(before.study), _others(after.study)),
        *_parts("It chooses", before.choices, after.choices),
    ]


def _rows(before: Mapping[str, Mapping[str, Any]], after: Mapping[str, Mapping[str, Any]]) -> Iterator[str]:
    for name in sorted({*before, *after}):
        if name not in before:
            yield f"It adds {name} with {after[name]['replicas']} replicas."
        elif name not in after:
            yield f"It has no {name} any more."
        else:
            yield from _row(name, before[name], after[name])


def _row(name: str, before: Mapping[str, Any], after: Mapping[str, Any]) -> Iterator[str]:
    columns = [column for column, _ in COUNTED.values()]
    amounts = [
        f"{_NAMES.get(column, column)} {_shown(column, before[column])}, then {_shown(column, after[column])}"
        for column in columns
        if before[column] != after[column]
    ]
    old, new = (row.get("sizing") or {} for row in (before, after))
    amounts += [
        f"{words} {old[part]:g}, then {new[part]:g}"
        for part, words in _SIZING.items()
        if old.get(part) != new.get(part) and None not in (old.get(part), new.get(part))
    ]
    if amounts:
        yield f"{name}: {'; '.join(amounts)}."
    others = [
        part
        for part in sorted({*before, *after} - {*columns})
        if _without_loads(part, before) != _without_loads(part, after)
    ]
    if others:
        yield f"{name}: {', '.join(part.replace('_', ' ') for part in others)} otherwise."


def _without_loads(part: str, row: Mapping[str, Any]) -> Any:
    """Return a part of a row; of how it is sized, what is told already is left out."""
    value = row.get(part)
    told = (*_SIZING, "trough", "usual")
    return {name: own for name, own in value.items() if name not in told} if part == "sizing" and value else value


def _shown(part: str, amount: int) -> str:
    return _SHOWN[part](amount) if part in _SHOWN else str(amount)


def _journeys(before: Mapping[str, Any], after: Mapping[str, Any]) -> Iterator[str]:
    old, new = ({each["name"]: each for each in study.get("journeys", ())} for study in (before, after))
    for name in sorted({*old, *new}):
        if name not in old:
            yield f"It adds the journey {name}, promised at {new[name].get('target') or 'no'} percent."
        elif name not in new:
            yield f"It has no journey {name} any more."
        elif old[name] != new[name]:
            same = old[name].get("target") == new[name].get("target")
            how = "another chain" if same else f"{old[name].get('target')} percent, then {new[name].get('target')}"
            yield f"The journey {name}: {how}."


def _others(study: Mapping[str, Any]) -> dict[str, Any]:
    return {name: value for name, value in study.items() if name != "journeys"}


def _parts(words: str, before: Mapping[str, Any], after: Mapping[str, Any]) -> Iterator[str]:
    found = [name for name in sorted({*before, *after}) if before.get(name) != after.get(name)]
    if found:
        yield f"{words} otherwise: {', '.join(name.replace('_', ' ') for name in found)}."

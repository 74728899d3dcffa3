"""The columns of the demand sheet: how each is read from text and written as text, in files and in the sheet alike."""

from __future__ import annotations

import math
from collections.abc import Callable, Collection, Mapping
from dataclasses import dataclass, replace
from typing import Any

from rombel.errors import Fault, InputRefused, refuse
from rombel.formats._cells import Cells
from rombel.model.demand import (
    LOCAL_DISK,
    Basis,
    Budget,
    Demand,
    Level,
    Partitioned,
    Provenance,
    Sizing,
    Volume,
    WorkloadKind,
)
from rombel.model.fit_problem import Survival
from rombel.model.pod import Amounts
from rombel.model.quantity import show_cpu, show_memory, typed_bytes, typed_cpu, typed_number
from rombel.model.traffic import Traffic, checked_traffic


@dataclass(frozen=True, slots=True)
class Column:
    """One column: how a cell is read and shown, what stands for an empty one, and a line for the header's reader.

    Parameters
    ----------
    read, show
        From text to a value; from a row to text. Both agree: what is shown reads back the same.
    default
        Value of an empty cell; columns that must not be empty have ``required``.
    hint
        What stands in it, for people.
    also
        Other names under which people head this column.

    """

    name: str
    read: Callable[[str], Any]
    show: Callable[[Demand], str]
    default: Any = ""
    required: bool = False
    hint: str = ""
    also: tuple[str, ...] = ()


def _optional(value: object) -> str:
    return "" if value is None else str(value)


def _number(value: float | None) -> str:
    if value is None or value == 0:
        return ""
    return str(int(value)) if value == int(value) else repr(value)


def read_name(text: str) -> str:
    """Return a name: 1 to 253 characters without a slash."""
    if not text or len(text) > 253 or "/" in text:
        raise refuse("demand.name", "", f"'{text[:60]}' is no name.", "Use 1 to 253 characters without a slash.")
    return text


def read_kind(text: str) -> WorkloadKind:
    """Return the kind of workload named by the text."""
    return WorkloadKind(_one_of(WorkloadKind, text, "kind of workload"))


def _one_of(kinds: Any, text: str, what: str) -> Any:
    try:
        return kinds(text.strip().lower())
    except ValueError:
        raise refuse("demand.kind", "", f"'{text[:40]}' is no {what}.", f"Use one of {', '.join(kinds)}.") from None


def read_count(text: str, least: int = 0, most: int = 10**6) -> int:
    """Return a whole number between two bounds."""
    digits = text.removeprefix("-") if least < 0 else text
    # Digits of every script are digits to Python, and of a number of thousands of them it makes none.
    if not digits.isascii() or not digits.isdigit() or len(digits) > 10 or not least <= int(text) <= most:
        reason = f"'{text[:40]}' is no whole number from {least} to {most}."
        raise refuse("demand.count", "", reason, "Write such a number.")
    return int(text)


def read_labels(text: str) -> dict[str, str]:
    """Return labels written ``key=value;key=value``."""
    labels = {}
    for part in filter(None, (part.strip() for part in text.split(";"))):
        key, equals, value = part.partition("=")
        if not equals or not key.strip():
            raise refuse("demand.labels", "", f"'{part}' is no label.", "Write key=value, several joined by ;.")
        # Which of the two is meant nobody can tell; the last one would win without a word.
        if key.strip() in labels:
            raise refuse("demand.labels", "", f"'{key.strip()[:60]}' is there twice.", "Leave one of them out.")
        labels[key.strip()] = value.strip()
    return labels


def show_labels(labels: Mapping[str, str]) -> str:
    """Return labels as ``key=value;key=value``, in the order of their keys."""
    return ";".join(f"{key}={value}" for key, value in sorted(labels.items()))


def _percent(text: str) -> int:
    number = text.removesuffix("%").strip()
    if not number.isascii() or not number.isdigit() or len(number) > 3 or int(number) > 100:
        raise refuse("demand.percent", "", f"'{text[:40]}' is no share.", "Write whole percent from 0 to 100.")
    return int(number)


def _target(text: str) -> int:
    # Replicas are load divided by what each bears at its target.
    if _percent(text) == 0:
        raise refuse("demand.percent", "", "A target of 0 needs endless replicas.", "Write 1 to 100.")
    return _percent(text)


def _growth(text: str) -> int:
    return read_count(text.removesuffix("%").strip(), -90, 10_000)


def _promise(text: str) -> tuple[bool, Survival | None]:
    """Return whether the loss of a zone is survived, and how where that is not left to the study."""
    word = text.lower()
    if word in _PROMISES:
        return _PROMISES[word]
    fix = "Write yes (as the study promises), no, standing, landing or growing."
    raise refuse("demand.promised", "", f"'{text[:40]}' is no promise.", fix)


_PROMISES: dict[str, tuple[bool, Survival | None]] = {
    "yes": (True, None), "true": (True, None), "no": (False, None), "false": (False, None), "none": (False, None),
    **{str(how): (True, how) for how in (Survival.STANDING, Survival.LANDING, Survival.GROWING)},
}  # fmt: skip


def _levels(text: str) -> tuple[Level, ...]:
    return tuple(_one_of(Level, part.strip(), "level") for part in text.split(";") if part.strip())


def _yes(text: str) -> bool:
    if text.strip().lower() in ("yes", "no"):
        return text.strip().lower() == "yes"
    raise refuse("demand.yes", "", f"'{text[:40]}' is neither yes nor no.", "Write yes or no.")


def _show_promise(row: Demand) -> str:
    return "no" if not row.promised else str(row.survive_zone or "yes")


def _resources(text: str) -> dict[str, int]:
    """Return named resources written ``name=amount;name=amount``, local disk in bytes."""
    found = {}
    for name, amount in read_labels(text).items():
        # Only local disk has a unit that people type; of the rest the API counts whole pieces.
        found[name] = typed_bytes(amount) if name == LOCAL_DISK else read_count(amount, 1, 10**9)
    return found


def _show_resources(row: Demand) -> str:
    shown = {
        name: show_memory(count) if name == LOCAL_DISK else str(count) for name, count in row.pod.resources.items()
    }
    return show_labels(shown)


def _names(text: str) -> tuple[str, ...]:
    """Return ``namespace/name`` of workloads, parted by semicolons."""
    names = tuple(part.strip() for part in text.split(";") if part.strip())
    if any(name.count("/") != 1 for name in names):
        raise refuse("demand.apart", "", f"'{text[:40]}' names no workloads.", "Write namespace/name;namespace/name.")
    return names


def _amount(text: str) -> float:
    """Return a number of at least 0 as people type it."""
    try:
        # Read as a float: a load is an estimate, where amounts that are packed are whole numbers.
        value = float(typed_number(text))
    except ValueError:
        value = math.nan
    if not 0 <= value < 1e12:
        raise refuse("demand.number", "", f"'{text[:40]}' is no number from 0.", "Write one such as 12.5.")
    return value


def _volumes(text: str) -> tuple[Volume, ...]:
    """Return volumes written ``name=size;name=size``; ``!`` before the size: it may follow into any zone."""
    found = []
    for name, size in read_labels(text).items():
        found.append(Volume(name, typed_bytes(size.removeprefix("!")), not size.startswith("!")))
    return tuple(found)


def _show_volumes(row: Demand) -> str:
    shown = [f"{v.name}={'' if v.zonal else '!'}{show_memory(v.size_bytes)}" for v in row.pod.volumes]
    return ";".join(shown)


def _traffic(text: str) -> tuple[Traffic, ...]:
    """Return what is sent in a month, written ``out=120Gi;inside=40Gi;shop/db=1.5Ti``."""
    return checked_traffic([Traffic(to, typed_bytes(size)) for to, size in read_labels(text).items()])


def _budget(text: str) -> str:
    number = text.removesuffix("%")
    if not number.isascii() or not number.isdigit() or len(number) > 6 or (text.endswith("%") and int(number) > 100):
        raise refuse("demand.budget", "", f"'{text[:40]}' is no count or share.", "Write 2 or 50%.")
    return text


def _tolerations(text: str) -> tuple[str, ...]:
    return tuple(part.strip() for part in text.split(";") if part.strip())


COLUMNS: tuple[Column, ...] = (
    Column("namespace", read_name, lambda row: row.namespace, required=True, also=("project", "space", "area")),
    Column("name", read_name, lambda row: row.name, required=True, also=("workload", "deployment", "application", "app")),
    Column("replicas", read_count, lambda row: str(row.replicas), 0, required=True,
           also=("count", "instances", "pods", "desired")),
    Column("cpu", typed_cpu, lambda row: show_cpu(row.request.cpu_millicores), 0, required=True,
           also=("cpu request", "vcpu", "cores", "cpus")),
    Column("memory", typed_bytes, lambda row: show_memory(row.request.memory_bytes), 0, required=True,
           also=("memory request", "mem", "ram")),
    Column("kind", read_kind, lambda row: str(row.kind), WorkloadKind.REPLICATED, also=("type",)),
    Column("zone_skew", lambda text: read_count(text, 1), lambda row: _optional(row.zone_skew), None),
    Column("most_per_node", lambda text: read_count(text, 1), lambda row: _optional(row.most_per_node), None),
    Column("node_labels", read_labels, lambda row: show_labels(row.node_labels), {}, also=("node selector",)),
    Column("owner", str, lambda row: row.owner, also=("team", "contact")),
    Column("promised", _promise, _show_promise, (True, None), hint="yes, no, standing, landing or growing"),
    Column("labels", read_labels, lambda row: show_labels(row.labels), {}),
    Column("interruptible", _percent, lambda row: _optional(row.interruptible_percent or None), 0),
    Column("journey", str, lambda row: row.journey),
    Column("service", str, lambda row: row.service, hint="the service it is one instance of"),
    Column("together", str, lambda row: row.together, hint="group that shares nodes"),
    Column("priority", lambda text: read_count(text, -(2**31), 2 * 10**9 + 10**6),
           lambda row: _optional(row.priority or None), 0),
    Column("basis", lambda text: _one_of(Basis, text, "basis of the replicas"), lambda row: str(row.sizing.basis),
           Basis.FIXED),
    Column("least", read_count, lambda row: _optional(row.sizing.least), None, also=("min", "min replicas")),
    Column("most", lambda text: read_count(text, 1), lambda row: _optional(row.sizing.most), None,
           also=("max", "max replicas")),
    Column("target", _target, lambda row: str(row.sizing.target_percent), 70),
    Column("trough_load", _amount, lambda row: _number(row.sizing.trough), 0.0),
    Column("usual_load", _amount, lambda row: _number(row.sizing.usual), 0.0),
    Column("peak_load", _amount, lambda row: _number(row.sizing.peak), 0.0),
    Column("per_replica", _amount, lambda row: _number(row.sizing.per_replica), None),
    Column("service_s", _amount, lambda row: _number(row.sizing.service_s), None),
    Column("wait_s", _amount, lambda row: _number(row.sizing.wait_s), None),
    Column("late_percent", _amount, lambda row: _number(row.sizing.late_percent), 5.0),
    Column("runs_at", _levels, lambda row: ";".join(row.sizing.runs_at), (), hint="trough;usual;peak, empty: always"),
    Column("growth", _growth, lambda row: _optional(row.sizing.growth_percent), None),
    Column("tolerations", _tolerations, lambda row: ";".join(row.pod.tolerations), ()),
    Column("volumes", _volumes, _show_volumes, (), hint="name=size;name=size"),
    Column("resources", _resources, _show_resources, {}, hint="accelerators=1;local_disk_bytes=20Gi"),
    Column("node_skew", lambda text: read_count(text, 1), lambda row: _optional(row.pod.node_skew), None),
    Column("zone_skew_wish", lambda text: read_count(text, 1), lambda row: _optional(row.pod.zone_skew_wish), None),
    Column("apart", _names, lambda row: ";".join(row.pod.apart), (), hint="namespace/name;namespace/name"),
    Column("start_up_s", read_count, lambda row: _optional(row.pod.start_up_s), None),
    Column("any_architecture", _yes, lambda row: "yes" if row.pod.any_architecture else "", False,
           hint="yes: it runs on every architecture"),
    Column("min_available", _budget, lambda row: row.budget.min_available if row.budget else ""),
    Column("serving", _budget, lambda row: row.serving, hint="4 or 60%: replicas that must serve"),
    Column("traffic", _traffic, lambda row: ";".join(f"{sent.to}={show_memory(sent.size_bytes)}" for sent in row.traffic),
           (), hint="GiB a month: out=120Gi;inside=40Gi;namespace/name=1.5Ti"),
    Column("max_unavailable", _budget, lambda row: row.budget.max_unavailable if row.budget else ""),
    Column("partitions", lambda text: read_count(text, 1),
           lambda row: _optional(row.partitioned and row.partitioned.partitions), None),
    Column("copies", lambda text: read_count(text, 1, 100),
           lambda row: _optional(row.partitioned and row.partitioned.copies), None),
    Column("data", typed_bytes, lambda row: show_memory(row.partitioned.data_bytes) if row.partitioned else "", 0),
    Column("resync", typed_bytes, lambda row: show_memory(row.partitioned.resync_bytes_per_s)
           if row.partitioned and row.partitioned.resync_bytes_per_s else "", None),
)  # fmt: skip

AS_TYPED = ("cpu", "memory")
"""Columns of the request, whose cells the sheet shows as they were typed."""

LEAST_TYPED_BYTES = 1024
"""Memory under this is hardly meant: a plain small number is asked for its unit."""

BY_NAME = {column.name: column for column in COLUMNS}
REQUIRED = tuple(column.name for column in COLUMNS if column.required)
OPTIONAL = tuple(column.name for column in COLUMNS if not column.required)
CSV_COLUMNS = tuple(BY_NAME)


def cells_of(row: Demand) -> dict[str, str]:
    """Return a row as text, column by column."""
    return {column.name: column.show(row) for column in COLUMNS}


def cell_as_typed(row: Demand, name: str) -> str:
    """Return a cell as it was typed, as long as that still says what the row asks for; otherwise as ``cells_of`` does."""
    column, typed = BY_NAME[name], row.provenance.typed.get(name)
    shown = column.show(row)
    try:
        return typed if typed is not None and column.read(typed) == column.read(shown) else shown
    except InputRefused:  # A stored row may hold what nobody may type any more.
        return shown


def cells_as_typed(row: Demand) -> dict[str, str]:
    """Return a row as text like ``cells_of``, the amounts of its request as they were typed."""
    return cells_of(row) | {name: cell_as_typed(row, name) for name in AS_TYPED}


def row_of(
    cells: Mapping[str, str], header: list[str], line: int, typed: Collection[str]
) -> tuple[Demand | None, list[Fault]]:
    """Return one row, or None with every fault of its cells.

    Parameters
    ----------
    cells, header, line
        Texts by column, the columns in the file's order, and the line for faults.
    typed
        Columns whose texts somebody wrote; the others are a stored row's own, which may hold what is legal and odd.

    """
    reader = Cells(cells, header, line, OPTIONAL)
    take = {column.name: reader.take(column.name, column.read, column.default) for column in COLUMNS}
    if "memory" in typed and 0 < take["memory"] < LEAST_TYPED_BYTES:
        reason = f"'{cells['memory'].strip()[:40]}' is {take['memory']} bytes of memory: its unit is missing."
        reader.refuse("memory", reason, "Write 512Mi or 2.5Gi, or say in which unit the column is.")
    if take["min_available"] and take["max_unavailable"]:
        reader.refuse("max_unavailable", "A budget states either what stays or what may go.", "Empty one of them.")
    partitioned = None
    if take["partitions"] or take["copies"]:
        data, resync = take["data"], take["resync"]
        partitioned = Partitioned(take["partitions"] or 1, take["copies"] or 1, data, resync or None)
    budget = Budget(take["min_available"], take["max_unavailable"])
    row = Demand(
        request=Amounts(take["cpu"], take["memory"]),
        interruptible_percent=take["interruptible"],
        sizing=_sizing(take),
        partitioned=partitioned,
        budget=budget if budget != Budget() else None,
        promised=take["promised"][0],
        survive_zone=take["promised"][1],
        **{name: take[name] for name in _PLAIN},
    )
    pod = replace(row.pod, **{name: take[name] for name in _OF_POD})
    return (None if reader.faults else replace(row, pod=pod)), reader.faults


_OF_POD = (
    "tolerations",
    "volumes",
    "start_up_s",
    "resources",
    "node_skew",
    "zone_skew_wish",
    "apart",
    "any_architecture",
)
_PLAIN = (
    "namespace", "name", "kind", "replicas", "zone_skew", "most_per_node", "node_labels", "owner", "labels",
    "journey", "service", "together", "priority", "serving", "traffic",
)  # fmt: skip


def _sizing(take: Mapping[str, Any]) -> Sizing:
    names = ("basis", "least", "most", "per_replica", "service_s", "wait_s", "late_percent", "runs_at")
    return Sizing(
        target_percent=take["target"],
        trough=take["trough_load"],
        usual=take["usual_load"],
        peak=take["peak_load"],
        growth_percent=take["growth"],
        **{name: take[name] for name in names},
    )


def read_demand_cells(cells: Mapping[str, str], before: Demand | None = None) -> tuple[Demand | None, list[Fault]]:
    """Return one row from cells as typed, the others as before; or None with the fault of each cell."""
    whole = {**(cells_of(before) if before else {"kind": "replicated", "replicas": "1"}), **cells}
    unknown = [name for name in cells if name not in BY_NAME]
    if unknown:
        return None, [Fault("demand.column", unknown[0], "There is no such column.", "Use a column of the sheet.")]
    row, faults = row_of(whole, list(whole), 0, cells)
    if row is None:
        return None, faults
    kept = before.provenance if before else Provenance()
    if before is not None:
        row = replace(row, pod=replace(row.pod, containers=before.pod.containers, overhead=before.pod.overhead))
        kept = kept if row.request == before.request else Provenance(kept.origin, "typed", typed=kept.typed)
    typed = {name: cells[name].strip() for name in AS_TYPED if name in cells}
    return replace(row, provenance=replace(kept, typed={**kept.typed, **typed}) if typed else kept), faults


_OF_SIZING = ("basis", "least", "most", "target")
_OF_BUDGET = ("min_available", "max_unavailable")


def merged(row: Demand, before: Demand, speaks: frozenset[str]) -> Demand:
    """Return an imported row with the columns its text does not tell of as they were before.

    An autoscaler's range and a disruption budget count as told where the row has one.
    """
    told = set(speaks)
    told |= set(_OF_SIZING) if row.sizing.basis is not Basis.FIXED else set()
    told -= {name for name in ("start_up_s", "priority") if not cells_of(row)[name]}
    told |= set(_OF_BUDGET) if row.budget is not None else set()
    was, now = cells_of(before), cells_of(row)
    whole, _ = row_of({name: now[name] if name in told else was[name] for name in was}, list(was), 0, ())
    if whole is None:  # What a manifest may hold and no cell can say, such as a slash or ; in a label.
        return replace(row, owner=before.owner, journey=before.journey)
    containers = row.pod.containers or before.pod.containers
    pod = replace(whole.pod, containers=containers, overhead=row.pod.overhead)
    provenance = row.provenance if row.request != before.request else before.provenance
    return replace(whole, pod=pod, provenance=provenance)

"""Demand as CSV (RFC 4180): header row, comma, quotes doubled; CRLF or LF; a byte order mark is accepted.

Columns (any order): ``namespace, name, kind, replicas, cpu, memory`` and, optional, ``zone_skew, most_per_node,
node_labels`` (``key=value;key=value``), ``owner, promised`` (yes/no), ``labels`` (as node_labels), ``interruptible``
(largest share of the replicas on interruptible nodes, in percent).
"""

from __future__ import annotations

import csv
import io
from collections.abc import Mapping, Sequence

from rombel.errors import Fault, refuse
from rombel.formats._cells import Cells, header_faults
from rombel.formats.reading import DemandReading, Ignored, size_fault
from rombel.model.pod import Amounts
from rombel.model.quantity import cpu_millicores, memory_bytes, show_cpu, show_memory, typed_quantity
from rombel.model.study import Demand, WorkloadKind

REQUIRED = ("namespace", "name", "replicas", "cpu", "memory")
OPTIONAL = ("kind", "zone_skew", "most_per_node", "node_labels", "owner", "promised", "labels", "interruptible")
CSV_COLUMNS = (*REQUIRED, *OPTIONAL)


def read_demand_csv(text: str) -> DemandReading:
    """Return the rows of the text, every fault with line and column, and the columns ignored."""
    large = size_fault(len(text.encode("utf-8", "replace")))
    if large:
        return DemandReading((), (large,), ())
    reader = csv.reader(io.StringIO(text.removeprefix("\ufeff"), newline=""), strict=True)
    try:
        header = [name.strip().lower() for name in next(reader, [])]
        faults = header_faults(header, REQUIRED)
        if faults:
            return DemandReading((), tuple(faults), ())
        return _rows(reader, header)
    except csv.Error as error:
        fault = Fault("csv.text", "", f"This is not CSV: {error}.", "Double quotes inside quotes.", reader.line_num, 1)
        return DemandReading((), (fault,), ())


def _rows(reader: csv._reader, header: Sequence[str]) -> DemandReading:  # type: ignore[name-defined]
    unknown = [name for name in header if name not in CSV_COLUMNS]
    ignored = tuple(Ignored(1, f"column '{name}'", "Rombel does not read this column.") for name in unknown)
    rows, faults = [], []
    seen: dict[str, int] = {}
    for cells in reader:
        line = reader.line_num
        if not any(cell.strip() for cell in cells):
            continue
        if len(cells) != len(header):
            reason = f"The line has {len(cells)} fields, the header {len(header)}."
            faults.append(Fault("csv.width", "", reason, "Check commas and quotes.", line, 1))
            continue
        row, wrong = _row(dict(zip(header, cells, strict=True)), header, line)
        faults.extend(wrong)
        if row is not None:
            if row.full_name in seen:
                reason = f"'{row.full_name}' stands on line {seen[row.full_name]} too."
                faults.append(Fault("demand.twice", "name", reason, "Rename or remove one of them.", line, 1))
            seen.setdefault(row.full_name, line)
            rows.append(row)
    return DemandReading(tuple(rows), tuple(faults), ignored)


def _row(cells: Mapping[str, str], header: Sequence[str], line: int) -> tuple[Demand | None, list[Fault]]:
    """Return one row, or None with every fault of its cells."""
    reader = Cells(cells, header, line, OPTIONAL)
    cell = reader.take
    row = Demand(
        namespace=cell("namespace", _name, ""),
        name=cell("name", _name, ""),
        kind=cell("kind", read_kind, WorkloadKind.REPLICATED),
        replicas=cell("replicas", lambda text: read_count(text, 0), 0),
        request=Amounts(
            cell("cpu", lambda text: cpu_millicores(typed_quantity(text)), 0),
            cell("memory", lambda text: memory_bytes(typed_quantity(text)), 0),
        ),
        zone_skew=cell("zone_skew", lambda text: read_count(text, 1), None),
        most_per_node=cell("most_per_node", lambda text: read_count(text, 1), None),
        node_labels=cell("node_labels", read_labels, {}),
        owner=cell("owner", str, ""),
        promised=cell("promised", _yes_no, True),
        labels=cell("labels", read_labels, {}),
        interruptible_percent=cell("interruptible", _percent, 0),
    )
    return (None if reader.faults else row), reader.faults


def _name(text: str) -> str:
    if not text or len(text) > 253 or "/" in text:
        raise refuse("demand.name", "", f"'{text[:60]}' is no name.", "Use 1 to 253 characters without a slash.")
    return text


def read_kind(text: str) -> WorkloadKind:
    """Return the kind of workload named by the text."""
    try:
        return WorkloadKind(text.strip().lower())
    except ValueError:
        kinds = ", ".join(WorkloadKind)
        raise refuse("demand.kind", "", f"'{text}' is no kind of workload.", f"Use one of {kinds}.") from None


def read_count(text: str, least: int) -> int:
    """Return a whole number from ``least`` to a million."""
    if not text.isascii() or not text.isdigit() or not least <= int(text[:9]) <= 10**6 or len(text) > 7:
        raise refuse(
            "demand.count", "", f"'{text[:40]}' is no whole number from {least} to 1000000.", "Write such a number."
        )
    return int(text)


def read_labels(text: str) -> dict[str, str]:
    """Return labels written ``key=value;key=value``."""
    labels = {}
    for part in filter(None, (part.strip() for part in text.split(";"))):
        key, equals, value = part.partition("=")
        if not equals or not key.strip():
            raise refuse("demand.labels", "", f"'{part}' is no label.", "Write key=value, several joined by ;.")
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


def _yes_no(text: str) -> bool:
    if text.lower() not in ("yes", "no", "true", "false"):
        raise refuse("demand.promised", "", f"'{text}' is neither yes nor no.", "Write yes or no.")
    return text.lower() in ("yes", "true")


def read_demand_cells(cells: Mapping[str, str], before: Demand | None = None) -> tuple[Demand | None, list[Fault]]:
    """Return one row from cells as typed, the others as before; or None with the fault of each cell."""
    whole = {**(_cells(before) if before else {"kind": "replicated", "replicas": "1"}), **cells}
    unknown = [name for name in cells if name not in CSV_COLUMNS]
    if unknown:
        return None, [Fault("demand.column", unknown[0], "There is no such column.", "Use a column of the sheet.")]
    return _row(whole, list(whole), 0)


def _cells(row: Demand) -> dict[str, str]:
    """Return a row as text, column by column."""
    return {
        "namespace": row.namespace,
        "name": row.name,
        "replicas": str(row.replicas),
        "cpu": show_cpu(row.request.cpu_millicores),
        "memory": show_memory(row.request.memory_bytes),
        "kind": str(row.kind),
        "zone_skew": "" if row.zone_skew is None else str(row.zone_skew),
        "most_per_node": "" if row.most_per_node is None else str(row.most_per_node),
        "node_labels": show_labels(row.node_labels),
        "owner": row.owner,
        "promised": "yes" if row.promised else "no",
        "labels": show_labels(row.labels),
        "interruptible": str(row.interruptible_percent or ""),
    }


def write_demand_csv(rows: Sequence[Demand]) -> str:
    """Return the rows as CSV; ``read_demand_csv`` gives the same rows back."""
    out = io.StringIO(newline="")
    writer = csv.writer(out)
    writer.writerow(CSV_COLUMNS)
    for row in rows:
        cells = _cells(row)
        writer.writerow([cells[name] for name in CSV_COLUMNS])
    return out.getvalue()

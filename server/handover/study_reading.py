"""Parts of a study's file that become rows: each is checked whole before anything is stored."""

from __future__ import annotations

import base64
import binascii
import zlib
from collections.abc import Iterable, Iterator, Mapping, Sequence
from datetime import UTC, datetime
from typing import Any

from pydantic import TypeAdapter, ValidationError

from rombel.errors import Fault, InputRefused, gathered
from rombel.formats import EXPORT_AGAIN, check_price_list, faults_at, within
from rombel.model.demand import Demand
from rombel.model.levels import sheet_faults
from rombel.model.price_list import PriceList
from rombel.model.running import Running
from studies.adapt import NESTED, PLAIN, demand_of
from studies.models import Workload

_WORKLOAD = {
    "namespace", "name", "kind", "replicas", "cpu_millicores", "memory_bytes", *PLAIN, *NESTED,
}  # fmt: skip
_RUNNING = TypeAdapter(Running)
BYTES_OF_A_VALUE = 4


def rows_of(stated: Sequence[Mapping[str, Any]], growth_percent: int) -> list[Demand]:
    """Return the rows of a file's demand sheet.

    Raises
    ------
    InputRefused
        With every fault: unknown columns, values of the wrong form, rows that cannot stand together.

    """
    faults, rows = list[Fault](), list[Demand]()
    for number, entry in enumerate(stated):
        with gathered(faults):
            rows.append(_row(entry, f"workloads[{number}]"))
    if faults:
        raise InputRefused(faults)
    if wrong := sheet_faults(rows, growth_percent):
        raise InputRefused([_in_file(fault) for fault in wrong])
    return rows


def _in_file(fault: Fault) -> Fault:
    return Fault(fault.code, fault.path.replace("demand[", "workloads[", 1), fault.reason, fault.fix)


def _row(stated: Mapping[str, Any], path: str) -> Demand:
    unknown = sorted(set(stated) - _WORKLOAD)
    if unknown:
        raise InputRefused([Fault("study.column", f"{path}.{unknown[0]}", "There is no such column.", EXPORT_AGAIN)])
    try:
        demand = demand_of(Workload(**stated))
        # Plain columns are checked by the types of the core's value.
        checked = _DEMAND.validate_python(_DEMAND.dump_python(demand, warnings=False))
    except ValidationError as error:
        raise InputRefused(faults_at(error.errors(), path)) from error
    except (TypeError, ValueError) as error:
        raise InputRefused([Fault("study.value", path, f"A value is not read: {error}.", EXPORT_AGAIN)]) from error
    return checked


_DEMAND = TypeAdapter(Demand)


def price_lists_of(stated: Sequence[Mapping[str, Any]]) -> list[PriceList]:
    """Return the price lists of a file; refused with every fault and its place."""
    faults, found = list[Fault](), list[PriceList]()
    for number, entry in enumerate(stated):
        with gathered(faults):
            found.append(within(f"price_lists[{number}]", check_price_list, entry))
    if faults:
        raise InputRefused(faults)
    return found


def running_in(content: Mapping[str, Any]) -> Running:
    """Return the cluster that a file's listing states."""
    try:
        return _RUNNING.validate_python(content)
    except ValidationError as error:
        raise InputRefused(faults_at(error.errors(), "listing.content")) from error


def series_in(usage: Mapping[str, Any]) -> Iterator[tuple[Mapping[str, Any], bytes, bytes]]:
    """Yield the series of a file's usage with their values as they are stored."""
    for number, entry in enumerate(usage["series"]):
        both = (_values(entry[part], usage["steps"], f"usage.series[{number}].{part}") for part in ("total", "busiest"))
        yield entry, *both


def _values(text: str, steps: int, path: str) -> bytes:
    whole = steps * BYTES_OF_A_VALUE
    try:
        packed = base64.b64decode(text, validate=True)
        unpacker = zlib.decompressobj()
        # Never more than there can be: a small text may unfold to gigabytes.
        length = len(unpacker.decompress(packed, whole + 1))
    except (binascii.Error, zlib.error, ValueError):
        length = -1
    if length != whole:
        reason = f"The series does not hold {steps} values."
        raise InputRefused([Fault("study.series", path, reason, EXPORT_AGAIN)])
    return packed


def moment_of(text: str | None) -> datetime:
    """Return a moment of a file; now where none is stated or it is none."""
    try:
        found = datetime.fromisoformat(text or "")
    except ValueError:
        return datetime.now(UTC)
    return found if found.tzinfo else found.replace(tzinfo=UTC)


def some_of(stated: Mapping[str, Any], names: Iterable[str]) -> dict[str, Any]:
    """Return those of some parts that are stated."""
    return {name: stated[name] for name in names if name in stated}

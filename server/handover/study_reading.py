"""Parts of a study's file that become rows: each is checked whole before anything is stored."""

from __future__ import annotations

import base64
import binascii
import zlib
from collections.abc import Callable, Iterator, Mapping, Sequence
from datetime import UTC, datetime
from typing import Any, TypeVar

from pydantic import TypeAdapter, ValidationError

from rombel.errors import Fault, InputRefused
from rombel.formats import check_price_list, within
from rombel.model.demand import Demand
from rombel.model.levels import sheet_faults
from rombel.model.price_list import PriceList
from rombel.model.running import Running
from studies.adapt import NESTED, PLAIN, demand_of
from studies.models import Workload

T = TypeVar("T")

_WORKLOAD = {
    "namespace", "name", "kind", "replicas", "cpu_millicores", "memory_bytes", *PLAIN, *NESTED,
}  # fmt: skip
_RUNNING = TypeAdapter(Running)
_AGAIN = "Export the study again."
BYTES_OF_A_VALUE = 4


class Faults:
    """Gathers what is refused in several parts, so that all of it is told at once."""

    def __init__(self) -> None:
        self.found: list[Fault] = []

    def keep(self, read: Callable[..., T], *given: Any) -> T | None:
        """Return what is read; None where it was refused."""
        try:
            return read(*given)
        except InputRefused as refused:
            self.found += refused.faults
            return None

    def refuse(self) -> None:
        """Refuse the whole where anything was found."""
        if self.found:
            raise InputRefused(self.found)


def as_faults(error: ValidationError, path: str, code: str = "study.value") -> list[Fault]:
    """Return what a value of the wrong form has wrong, with its place in the file."""
    return [
        Fault(code, ".".join([path, *(str(part) for part in entry["loc"])]), f"{entry['msg']}.", _AGAIN)
        for entry in error.errors()
    ]


def rows_of(stated: Sequence[Mapping[str, Any]], growth_percent: int) -> list[Demand]:
    """Return the rows of a file's demand sheet.

    Raises
    ------
    InputRefused
        With every fault: unknown columns, values of the wrong form, rows that cannot stand together.

    """
    faults, rows = Faults(), list[Demand]()
    for number, entry in enumerate(stated):
        row = faults.keep(_row, entry, f"workloads[{number}]")
        if row is not None:
            rows.append(row)
    faults.refuse()
    if wrong := sheet_faults(rows, growth_percent):
        raise InputRefused([_in_file(fault) for fault in wrong])
    return rows


def _in_file(fault: Fault) -> Fault:
    return Fault(fault.code, fault.path.replace("demand[", "workloads[", 1), fault.reason, fault.fix)


def _row(stated: Mapping[str, Any], path: str) -> Demand:
    unknown = sorted(set(stated) - _WORKLOAD)
    if unknown:
        raise InputRefused([Fault("study.column", f"{path}.{unknown[0]}", "There is no such column.", _AGAIN)])
    try:
        demand = demand_of(Workload(**stated))
        # Plain columns are checked by the types of the core's value.
        checked = _DEMAND.validate_python(_DEMAND.dump_python(demand, warnings=False))
    except ValidationError as error:
        raise InputRefused(as_faults(error, path)) from error
    except (TypeError, ValueError) as error:
        raise InputRefused([Fault("study.value", path, f"A value is not read: {error}.", _AGAIN)]) from error
    return checked


_DEMAND = TypeAdapter(Demand)


def price_lists_of(stated: Sequence[Mapping[str, Any]]) -> list[PriceList]:
    """Return the price lists of a file; refused with every fault and its place."""
    faults = Faults()
    found = [
        faults.keep(within, f"price_lists[{number}]", check_price_list, entry) for number, entry in enumerate(stated)
    ]
    faults.refuse()
    return [listed for listed in found if listed is not None]


def running_in(content: Mapping[str, Any]) -> Running:
    """Return the cluster that a file's listing states."""
    try:
        return _RUNNING.validate_python(content)
    except ValidationError as error:
        raise InputRefused(as_faults(error, "listing.content")) from error


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
        raise InputRefused([Fault("study.series", path, reason, _AGAIN)])
    return packed


def moment_of(text: str | None) -> datetime:
    """Return a moment of a file; now where none is stated or it is none."""
    try:
        found = datetime.fromisoformat(text or "")
    except ValueError:
        return datetime.now(UTC)
    return found if found.tzinfo else found.replace(tzinfo=UTC)

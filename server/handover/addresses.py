"""Address plans as files."""

from __future__ import annotations

import json
from typing import Any

from handover.files import CSV, about_of, named
from rombel.formats.tables import RANGE_COLUMNS, write_ranges_csv
from runs.addresses import AddressesTold


def addresses_csv_file(told: AddressesTold) -> tuple[str, str, str]:
    """Return the ranges as text, its media type and a file name."""
    text = write_ranges_csv(_rows(told), about_of(told.fit.variant))
    return text, CSV, named(told.fit.variant, f"fit-{told.fit.pk}-addresses.csv")


def addresses_json_file(told: AddressesTold) -> tuple[str, str, str]:
    """Return the ranges as JSON text, its media type and a file name."""
    found = {
        "about": about_of(told.fit.variant),
        "parents": [str(plan.parent) for plan in told.plans],
        "ranges": [dict(zip(RANGE_COLUMNS, row, strict=True)) for row in _rows(told)],
        "free": [str(each) for plan in told.plans for each in plan.free],
    }
    text = json.dumps(found, indent=1) + "\n"
    return text, "application/json", named(told.fit.variant, f"fit-{told.fit.pk}-addresses.json")


def _rows(told: AddressesTold) -> list[list[Any]]:
    return [
        [
            entry.name,
            str(entry.want.role),
            entry.want.zone,
            str(entry.range),
            str(entry.kept),
            entry.want.now,
            entry.want.grown,
            entry.nodes,
            entry.nodes_grown,
        ]
        for plan in told.plans
        for entry in plan.ranges
    ]

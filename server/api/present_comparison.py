"""Plans beside each other as they are sent."""

from __future__ import annotations

from dataclasses import asdict
from decimal import Decimal
from typing import Any

from api.present import variant_ref
from rombel.ledger import in_cents
from runs.comparing import Against, Column, Comparison, Figure


def shown_comparison(found: Comparison) -> dict[str, Any]:
    """Return a comparison as it is sent."""
    return {
        "study_id": found.study.pk,
        "study_name": found.study.name,
        "currency": found.study.currency,
        "undo": found.undo,
        "variants": [variant_ref(row) for row in found.study.variants.all()],
        "columns": [_column(column) for column in found.columns],
        "against": [_against(each) for each in found.against],
        "figures": [
            {"name": line.name, "unit": line.unit, "values": figure_texts(line), "best": line.best}
            for line in found.figures
        ],
        "choices": [{"field": field, "name": name, "values": values} for field, name, values in found.choices],
        "offered": [{"key": key, "name": name, "computed_at": at} for key, name, at in found.offered],
    }


def shown_bridges(found: Comparison) -> list[dict[str, Any]]:
    """Return what makes each plan cost what it does beside the first one."""
    return [
        {"key": each.column.key, "bridge": None if each.bridge is None else in_cents(each.bridge)}
        for each in found.against
    ]


def figure_texts(line: Figure) -> list[str | None]:
    """Return the figures of a line as decimal text."""
    return [
        None if value is None else format(Decimal(repr(value)) if isinstance(value, float) else Decimal(value), "f")
        for value in line.values
    ]


def _column(column: Column) -> dict[str, Any]:
    return {
        "key": column.key,
        "name": column.name,
        "variant_id": column.variant.pk if column.variant else None,
        "fit_id": column.fit.pk if column.fit else None,
        "computed_at": column.fit.created_at if column.fit else None,
        "is_current": column.is_current,
        "nodes": [shown_count(*key, count) for key, count in sorted(column.side.nodes.items())],
    }


def shown_count(instance_type: str, purchase: str, zone: str, count: int) -> dict[str, Any]:
    """Return so many nodes of a pool in a zone."""
    return {"instance_type": instance_type, "purchase": str(purchase), "zone": zone, "count": count}


def _against(each: Against) -> dict[str, Any]:
    return {
        "key": each.column.key,
        "sentences": list(each.sentences),
        "inputs": [asdict(change) for change in each.inputs],
        "nodes": [
            shown_count(*pool, change.zone, count) for change in each.zones for pool, count in change.nodes.items()
        ],
    }

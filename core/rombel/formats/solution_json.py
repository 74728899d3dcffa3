"""The fit solution as JSON: reading (strict) and writing."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import replace
from decimal import Decimal
from typing import Any

from rombel.formats._json import load_strict, validate
from rombel.formats.problem_json import plain_decimal
from rombel.model.fit_problem import Purchase
from rombel.model.fit_solution import Certificate, FitSolution, FitStatus, Landing, NodeBatch, RoomPrice

FORMAT = "rombel-fit-solution/1"


def read_solution(text: str) -> FitSolution:
    """Return the solution that the JSON text states; names are compared with a problem by the checker.

    Raises
    ------
    InputRefused
        When the text breaks the schema.

    """
    raw = load_strict(text)
    validate(raw, "fit-solution-1")
    return solution_of(raw)


def solution_of(raw: Mapping[str, Any]) -> FitSolution:
    """Return the solution of plain JSON values that meet the schema."""
    landing = raw.get("landing")
    return FitSolution(
        status=FitStatus(raw["status"]),
        currency=raw["currency"],
        cost_per_hour=Decimal(raw["cost_per_hour"]),
        floor_per_hour=Decimal(raw["floor_per_hour"]),
        nodes=tuple(_group(node) for node in raw["nodes"]),
        landing=None if landing is None else {zone: tuple(map(_landing, part)) for zone, part in landing.items()},
        reasons=tuple(raw.get("reasons", ())),
        growing=_growing(raw.get("growing")),
        certificate=_certificate(raw.get("certificate")),
    )


def _certificate(raw: Mapping[str, Any] | None) -> Certificate | None:
    if raw is None:
        return None
    within = {tuple(entry["zones"]): _prices(entry) for entry in raw.get("within", ())}
    return replace(_prices(raw), within=within)


def _prices(raw: Mapping[str, Any]) -> Certificate:
    room = tuple(
        RoomPrice(
            (entry["instance_type"], Purchase(entry["purchase"]), entry["zone"]),
            entry.get("lost") or "",
            _money(entry["prices"]),
        )
        for entry in raw["room"]
    )
    return Certificate({name: _money(prices) for name, prices in raw["worth"].items()}, room)


def _money(raw: Mapping[str, str]) -> dict[str, Decimal]:
    return {name: Decimal(amount) for name, amount in raw.items()}


def _certificate_value(certificate: Certificate) -> dict[str, Any]:
    room = []
    for price in certificate.room:
        instance_type, purchase, zone = price.offer
        offer = {"instance_type": instance_type, "purchase": str(purchase), "zone": zone}
        lost = {"lost": price.lost} if price.lost else {}
        room.append(offer | lost | {"prices": _texts(price.prices)})
    value = {"worth": {name: _texts(prices) for name, prices in certificate.worth.items()}, "room": room}
    within = [{"zones": list(zones)} | _certificate_value(own) for zones, own in certificate.within.items()]
    return value | ({"within": within} if within else {})


def _texts(amounts: Mapping[str, Decimal]) -> dict[str, str]:
    return {name: plain_decimal(amount) for name, amount in amounts.items()}


def _growing(raw: Mapping[str, Any] | None) -> dict[str, tuple[NodeBatch, ...]] | None:
    return None if raw is None else {zone: tuple(map(_group, part)) for zone, part in raw.items()}


def _group(raw: Mapping[str, Any]) -> NodeBatch:
    return NodeBatch(raw["instance_type"], Purchase(raw["purchase"]), raw["zone"], raw["count"], dict(raw["replicas"]))


def _landing(raw: Mapping[str, Any]) -> Landing:
    return Landing(raw["node"], dict(raw["replicas"]))


def write_solution(solution: FitSolution) -> str:
    """Return the solution as JSON text; ``read_solution`` gives the same solution back."""
    return json.dumps(solution_value(solution), indent=1)


def solution_value(solution: FitSolution) -> dict[str, Any]:
    """Return the solution as plain JSON values."""
    value: dict[str, Any] = {
        "format": FORMAT,
        "status": str(solution.status),
        "currency": solution.currency,
        "cost_per_hour": plain_decimal(solution.cost_per_hour),
        "floor_per_hour": plain_decimal(solution.floor_per_hour),
        "nodes": [_node_value(group) for group in solution.nodes],
        "reasons": list(solution.reasons),
    }
    if solution.landing is not None:
        value["landing"] = {
            zone: [{"node": entry.node, "replicas": dict(entry.replicas)} for entry in part]
            for zone, part in solution.landing.items()
        }
    if solution.growing is not None:
        value["growing"] = {zone: [_node_value(group) for group in part] for zone, part in solution.growing.items()}
    if solution.certificate is not None:
        value["certificate"] = _certificate_value(solution.certificate)
    return value


def _node_value(group: NodeBatch) -> dict[str, Any]:
    return {
        "instance_type": group.instance_type,
        "purchase": str(group.purchase),
        "zone": group.zone,
        "count": group.count,
        "replicas": dict(group.replicas),
    }

"""The fit problem as JSON: reading (strict, every fault with its path) and writing."""

from __future__ import annotations

import json
from collections.abc import Iterator, Mapping, Sequence
from decimal import Decimal
from typing import Any

from rombel.errors import Fault, InputRefused
from rombel.formats._json import load_strict, validate
from rombel.formats.problem_rules import (
    names_of,
    node_loss_of,
    placement_rules,
    placement_value,
    quota_of,
    quota_value,
    rule_faults,
    survive_value,
    unknown,
)
from rombel.model.fit_problem import (
    FitProblem,
    InstanceType,
    Limits,
    NodeLoss,
    Offer,
    Purchase,
    Survival,
    Vector,
    Workload,
)
from rombel.model.quantity import parse_price

FORMAT = "rombel-fit-problem/1"
PLAIN_LIMITS = ("most_pools", "fewest_nodes_per_pool", "fewest_nodes_per_zone", "equal_zones")


def read_problem(text: str) -> FitProblem:
    """Return the problem that the JSON text states.

    Raises
    ------
    InputRefused
        With every fault: broken text, unknown keys, wrong types, unknown names, names used twice.

    """
    raw = load_strict(text)
    # From here on every field has its type, and reading may take that for granted.
    validate(raw, "fit-problem-1")
    faults = list(_faults(raw))
    if faults:
        raise InputRefused(faults)
    return _problem(raw)


def _faults(raw: Mapping[str, Any]) -> Iterator[Fault]:
    """Yield what the schema cannot see."""
    zones, resources = set(raw["zones"]), set(raw["resources"])
    types = [entry["name"] for entry in raw["instance_types"]]
    yield from _twice(types, "instance_types")
    yield from _twice([entry["name"] for entry in raw["workloads"]], "workloads")
    yield from unknown(raw.get("daemon", {}), resources, "daemon", "resource")
    for number, entry in enumerate(raw["instance_types"]):
        path = f"instance_types[{number}]"
        yield from unknown(entry["allocatable"], resources, f"{path}.allocatable", "resource")
        yield from unknown([offer["zone"] for offer in entry["offers"]], zones, f"{path}.offers", "zone")
        # A pool is named by type, kind of purchase and zone; two offers of one name could not be told apart in an answer.
        yield from _twice([f"{offer['zone']} {offer['purchase']}" for offer in entry["offers"]], f"{path}.offers")
        for index, offer in enumerate(entry["offers"]):
            try:
                price = parse_price(offer["price_per_hour"], f"{path}.offers[{index}].price_per_hour")
                parts = [
                    parse_price(part, f"{path}.offers[{index}].beside.{name}")
                    for name, part in offer.get("beside", {}).items()
                ]
            except InputRefused as refused:
                yield from refused.faults
                continue
            # A node's own price must be above zero: nodes for nothing could be bought without end.
            if sum(parts, Decimal(0)) >= price:
                reason = f"What stands beside the node's own price is {sum(parts)}, of {price} in all."
                fix = "The price holds all of it: state the sum of the node's price and what is beside it."
                yield Fault("offer.beside", f"{path}.offers[{index}].beside", reason, fix)
    for number, entry in enumerate(raw["workloads"]):
        path = f"workloads[{number}]"
        yield from unknown(entry["request"], resources, f"{path}.request", "resource")
        yield from unknown(entry.get("zones") or (), zones, f"{path}.zones", "zone")
        yield from unknown(entry.get("instance_types") or (), set(types), f"{path}.instance_types", "instance type")
    # Charges of a zone are paid once it is used, whatever runs there.
    charges = raw.get("zone_charges", {})
    yield from unknown(charges, zones, "zone_charges", "zone")
    for zone, own in charges.items():
        for name, price in own.items():
            try:
                parse_price(price, f"zone_charges.{zone}.{name}")
            except InputRefused as refused:
                yield from refused.faults
    yield from rule_faults(raw)


def _twice(names: Sequence[str], path: str) -> Iterator[Fault]:
    seen: set[str] = set()
    for number, name in enumerate(names):
        if name in seen:
            yield Fault("name.twice", f"{path}[{number}]", f"'{name}' stands twice.", "Give each its own name.")
        seen.add(name)


def _problem(raw: Mapping[str, Any]) -> FitProblem:
    resources = tuple(raw["resources"])
    limits = raw.get("limits", {})
    quotas = tuple(quota_of(entry) for entry in limits.get("quotas", ()))
    return FitProblem(
        currency=raw["currency"],
        zones=tuple(raw["zones"]),
        resources=resources,
        daemon=_vector(raw.get("daemon", {}), resources),
        instance_types=tuple(_instance_type(entry, resources) for entry in raw["instance_types"]),
        workloads=tuple(_workload(entry, resources) for entry in raw["workloads"]),
        survive_zone=Survival(raw.get("survive", {}).get("zone", "none")),
        limits=Limits(
            **{key: limits[key] for key in PLAIN_LIMITS if key in limits},
            quotas=quotas,
            headroom=dict(limits.get("headroom", {})),
        ),
        survive_nodes=node_loss_of(raw.get("survive", {})) or NodeLoss(),
        zone_charges={
            zone: tuple((name, parse_price(price)) for name, price in own.items())
            for zone, own in raw.get("zone_charges", {}).items()
        },
    )


def _vector(amounts: Mapping[str, int], resources: Sequence[str], pods: int = 0) -> Vector:
    """Return the amounts in the order of the resources; ``pods`` is what is meant where pods are not stated."""
    return tuple(amounts.get(name, pods if name == "pods" else 0) for name in resources)


def _instance_type(raw: Mapping[str, Any], resources: Sequence[str]) -> InstanceType:
    offers = tuple(
        Offer(
            offer["zone"],
            Purchase(offer["purchase"]),
            parse_price(offer["price_per_hour"]),
            offer.get("most_nodes"),
            offer.get("fewest_nodes", 0),
            tuple((name, parse_price(price)) for name, price in offer.get("beside", {}).items()),
        )
        for offer in raw["offers"]
    )
    return InstanceType(raw["name"], _vector(raw["allocatable"], resources), offers)


def _workload(raw: Mapping[str, Any], resources: Sequence[str]) -> Workload:
    # Not stated is as the problem promises, and not as none.
    own = raw.get("survive", {}).get("zone")
    return Workload(
        name=raw["name"],
        replicas=raw["replicas"],
        # Who states pods as a resource rarely says that a replica is one.
        request=_vector(raw["request"], resources, pods=1),
        instance_types=names_of(raw.get("instance_types")),
        zones=names_of(raw.get("zones")),
        most_per_node=raw.get("most_per_node"),
        zone_skew=raw.get("zone_skew"),
        equal_zones=raw.get("equal_zones", False),
        interruptible_share=float(raw.get("interruptible_share", 0.0)),
        survive_zone=None if own is None else Survival(own),
        **placement_rules(raw),
    )


def write_problem(problem: FitProblem) -> str:
    """Return the problem as JSON text; ``read_problem`` gives the same problem back."""
    return json.dumps(problem_value(problem), indent=1)


def problem_value(problem: FitProblem) -> dict[str, Any]:
    """Return the problem as plain JSON values."""
    charges = {
        zone: {name: plain_decimal(price) for name, price in own} for zone, own in problem.zone_charges.items() if own
    }
    return {
        "format": FORMAT,
        "currency": problem.currency,
        "zones": list(problem.zones),
        "resources": list(problem.resources),
        "daemon": dict(zip(problem.resources, problem.daemon, strict=True)),
        "instance_types": [_type_value(entry, problem.resources) for entry in problem.instance_types],
        "workloads": [_workload_value(entry, problem.resources) for entry in problem.workloads],
        "survive": survive_value(problem.survive_zone, problem.survive_nodes if problem.survive_nodes.count else None),
        "limits": _limits_value(problem.limits),
        **({"zone_charges": charges} if charges else {}),
    }


def _limits_value(limits: Limits) -> dict[str, Any]:
    """Return the limits; ``equal_zones`` and quotas stand there only where they are asked for."""
    # A text without them is the one of before they were there: its fingerprint stays.
    value: dict[str, Any] = {key: getattr(limits, key) for key in PLAIN_LIMITS if key != "equal_zones"}
    if limits.equal_zones:
        value["equal_zones"] = True
    if limits.quotas:
        value["quotas"] = [quota_value(quota) for quota in limits.quotas]
    if limits.headroom:
        value["headroom"] = dict(sorted(limits.headroom.items()))
    return value


def _type_value(entry: InstanceType, resources: Sequence[str]) -> dict[str, Any]:
    offers = [
        {
            "zone": offer.zone,
            "purchase": str(offer.purchase),
            "price_per_hour": plain_decimal(offer.price_per_hour),
            "most_nodes": offer.most_nodes,
            **({"fewest_nodes": offer.fewest_nodes} if offer.fewest_nodes else {}),
            **({"beside": {name: plain_decimal(price) for name, price in offer.beside}} if offer.beside else {}),
        }
        for offer in entry.offers
    ]
    return {
        "name": entry.name,
        "allocatable": dict(zip(resources, entry.allocatable, strict=True)),
        "offers": offers,
    }


def _workload_value(entry: Workload, resources: Sequence[str]) -> dict[str, Any]:
    value: dict[str, Any] = {
        "name": entry.name,
        "replicas": entry.replicas,
        "request": dict(zip(resources, entry.request, strict=True)),
        # A set has no order of its own; sorted, the same problem is the same text and has the same fingerprint.
        "instance_types": None if entry.instance_types is None else sorted(entry.instance_types),
        "zones": None if entry.zones is None else sorted(entry.zones),
        "most_per_node": entry.most_per_node,
        "zone_skew": entry.zone_skew,
        "equal_zones": entry.equal_zones,
        "interruptible_share": entry.interruptible_share,
    }
    if entry.survive_zone is not None or entry.survive_nodes is not None:
        value["survive"] = survive_value(entry.survive_zone, entry.survive_nodes)
    return value | placement_value(entry)


def plain_decimal(value: Decimal) -> str:
    """Return a decimal without an exponent."""
    return format(value, "f")

"""The parts of a cluster that is stated as neutral JSON (``rombel-build/1``), each with what has to stand before it."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from enum import StrEnum
from typing import Any

Value = Mapping[str, Any]


class PartKind(StrEnum):
    """What a part is, in the order in which parts are built."""

    RANGE = "range"
    GATEWAY = "gateway"
    CONTROL_PLANE = "control plane"
    POOL = "pool"
    NODE = "node"
    ADD_ON = "add-on"
    VOLUME = "volume"


PLANE = "control-plane"


@dataclass(frozen=True, slots=True)
class Part:
    """One part.

    Parameters
    ----------
    key
        Names it in every list and across builds.
    kind, name, zone
        What it is, how people read it, and where it stands (empty: in the whole region).
    needs
        Keys of the parts that have to stand before it.
    facts
        What is stated of it; the same part with other facts is to be changed.

    """

    key: str
    kind: PartKind
    name: str
    zone: str = ""
    needs: tuple[str, ...] = ()
    facts: Mapping[str, str] = field(default_factory=dict)


def pool_key(pool: Value) -> str:
    """Return the key of a pool of the JSON."""
    return f"pool/{pool['instance_type']}/{pool['purchase']}/{pool['zone']}"


def node_key(pool: str, number: int) -> str:
    """Return the key of a pool's node, counted from 1."""
    return f"node/{pool.removeprefix('pool/')}/{number:03d}"


def parts_of(build: Value | None) -> dict[str, Part]:
    """Return the parts of a cluster by key, each after what it needs; None: nothing stands."""
    return {part.key: part for part in _parts(build)} if build is not None else {}


def _parts(build: Value) -> Iterator[Part]:
    ranges = build["ranges"]
    yield from (_range(each) for each in ranges)
    gateways = [each["zone"] for each in build.get("gateways", [])]
    for zone in gateways:
        yield Part(f"gateway/{zone}", PartKind.GATEWAY, "gateway", zone, _ranges_in(ranges, zone, "public"))
    plane = build["control_plane"]
    everywhere = tuple(f"range/{each['name']}" for each in ranges)
    facts = {name: str(plane[name]) for name in ("members", "tier", "version") if plane.get(name)}
    yield Part(PLANE, PartKind.CONTROL_PLANE, "control plane", "", everywhere, facts)
    for pool in build["pools"]:
        yield from _pool(pool, ranges, gateways)
    yield from _add_ons(build)
    for each in build.get("volumes", []):
        # Volumes come with workloads and outlive them: nothing of the cluster is needed for one to be there.
        facts = {"size_gib": str(each["size_gib"])}
        yield Part(f"volume/{each['name']}", PartKind.VOLUME, each["name"], each.get("zone", ""), facts=facts)


def _range(each: Value) -> Part:
    # What a range may grow into is kept beside it and is nobody's part.
    return Part(
        f"range/{each['name']}", PartKind.RANGE, each["name"], each.get("zone", ""), facts={"range": each["range"]}
    )


def _ranges_in(ranges: Sequence[Value], zone: str, *carries: str) -> tuple[str, ...]:
    return tuple(f"range/{e['name']}" for e in ranges if e.get("zone") == zone and e["carries"] in carries)


def _pool(pool: Value, ranges: Sequence[Value], gateways: Sequence[str]) -> Iterator[Part]:
    key, zone = pool_key(pool), pool["zone"]
    name = f"{pool['instance_type']}, {pool['purchase']}"
    ways = (f"gateway/{zone}",) if zone in gateways else ()
    facts = {name: str(pool[name]) for name in ("least", "most")}
    facts |= {name: str(pool[name]) for name in ("taint", "version") if pool.get(name)}
    labels = ", ".join(f"{label}={value}" for label, value in sorted(pool.get("labels", {}).items()))
    facts |= {"labels": labels} if labels else {}
    yield Part(key, PartKind.POOL, name, zone, (PLANE, *_ranges_in(ranges, zone, "nodes", "pods"), *ways), facts)
    version = {"version": pool["version"]} if pool.get("version") else {}
    for number in range(1, pool["nodes"] + 1):
        yield Part(node_key(key, number), PartKind.NODE, f"{name} {number}", zone, (key,), version)


def _add_ons(build: Value) -> Iterator[Part]:
    """Yield what runs on every node; it needs a first node of every pool, and what it names."""
    first = tuple(node_key(pool_key(pool), 1) for pool in build["pools"] if pool["nodes"])
    for each in build.get("add_ons", []):
        needs = tuple(f"add-on/{name}" for name in each.get("needs", []))
        yield Part(f"add-on/{each['name']}", PartKind.ADD_ON, each["name"], "", (*first, *needs))

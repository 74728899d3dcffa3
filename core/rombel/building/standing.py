"""What stands, as neutral JSON, from the listing of a cluster."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from rombel.building.parts import Value
from rombel.model.build import Version, told_version
from rombel.model.running import Running


def standing_of(running: Running, wanted: Value) -> tuple[dict[str, Any], frozenset[str]]:
    """Return what stands, and the keys of the parts that a listing does not tell and that are taken to stand as wanted.

    A listing has nodes and pods: that there are nodes says that there is a control plane, ranges and gateways, but not which. How a node
    is paid for it does not say either: it is counted to the pools of its type that are wanted in its zone, in their order, up to what is
    wanted of each; what is left over belongs to the first of them.
    """
    counts = dict(running.counts())
    versions: dict[tuple[str, str], set[Version]] = {}
    for node in running.nodes:
        if (version := told_version(node.version)) is not None:
            versions.setdefault((node.instance_type, node.zone), set()).add(version)
    pools, places = [], dict[tuple[str, str], list[Value]]()
    for pool in wanted["pools"]:
        places.setdefault((pool["instance_type"], pool["zone"]), []).append(pool)
    for place, nodes in counts.items():
        own, left = places.get(place, [_pool(place)]), nodes
        shares = []
        for pool in own:
            shares.append(min(left, pool["nodes"]))
            left -= shares[-1]
        shares[0] += left
        told = versions.get(place, set())
        oldest = {"version": str(min(told))} if told and any(pool.get("version") for pool in own) else {}
        pools += [{**pool, "nodes": share, **oldest} for pool, share in zip(own, shares, strict=True) if share]
    plane = {name: value for name, value in wanted["control_plane"].items() if name != "version"}
    add_ons = [each for each in wanted.get("add_ons", []) if each["name"] in running.workloads]
    found = {**wanted, "control_plane": plane, "pools": pools, "add_ons": add_ons}
    taken = [f"range/{each['name']}" for each in wanted["ranges"]]
    taken += [f"gateway/{each['zone']}" for each in wanted.get("gateways", [])]
    return found, frozenset({"control-plane", *taken})


def _pool(place: tuple[str, str]) -> Mapping[str, Any]:
    """Return a pool that nobody planned; how its nodes are paid for is not known, and on demand is taken."""
    return {
        "instance_type": place[0],
        "purchase": "on-demand",
        "zone": place[1],
        "nodes": 0,
        "least": 0,
        "most": 0,
    }

"""Clusters that stand at the made-up provider: their parts, and how they look from outside."""

from __future__ import annotations

import hashlib
from collections.abc import Iterator, Mapping
from ipaddress import ip_network
from typing import Any

from rombel.building import pool_key
from rombel.model.price_list import PriceList
from rombel.model.quantity import memory_bytes
from rombel.model.study import ARCHITECTURE_LABEL, TYPE_LABEL, ZONE_LABEL

Cluster = dict[str, Any]


def new_cluster(name: str, region: str) -> Cluster:
    """Return a cluster of which nothing stands yet."""
    return {
        "cluster": name,
        "region": region,
        "control_plane": None,
        "ranges": {},
        "gateways": [],
        "pools": {},
        "nodes": {},
        "add_ons": {},
        "volumes": {},
        "objects": [],
        "pods": [],
    }


def stand(cluster: Cluster, key: str, wanted: Mapping[str, Any]) -> None:
    """Let a part stand as it is wanted."""
    sort, _, name = key.partition("/")
    if sort == "range":
        cluster["ranges"][name] = next(each for each in wanted["ranges"] if each["name"] == name)
    elif sort == "gateway":
        cluster["gateways"] = sorted({*cluster["gateways"], name})
    elif sort == "control-plane":
        cluster["control_plane"] = {"version": "1.31", **wanted["control_plane"]}
    elif sort == "pool":
        cluster["pools"][key] = next(each for each in wanted["pools"] if pool_key(each) == key)
    elif sort == "node":
        pool = "pool/" + name.rpartition("/")[0]
        version = cluster["pools"][pool].get("version") or cluster["control_plane"]["version"]
        # A node that is replaced keeps its name and its place, and so its addresses.
        place = cluster["nodes"].get(key, {}).get("place") or 1 + max(
            (own["place"] for own in cluster["nodes"].values()), default=0
        )
        cluster["nodes"][key] = {"name": node_name(cluster["cluster"], key), "version": version, "place": place}
    else:
        cluster["add_ons"][name] = next(each for each in wanted["add_ons"] if each["name"] == name)


def take_away(cluster: Cluster, key: str) -> None:
    """Let a part stand no more; pods of a node are gone with it."""
    sort, _, name = key.partition("/")
    if sort == "control-plane":
        cluster["control_plane"] = None
    elif sort == "gateway":
        cluster["gateways"] = [zone for zone in cluster["gateways"] if zone != name]
    elif sort == "node":
        gone = cluster["nodes"].pop(key, None)
        cluster["pods"] = [pod for pod in cluster["pods"] if gone is None or pod["node"] != gone["name"]]
    else:
        kept = {"range": "ranges", "pool": "pools", "add-on": "add_ons", "volume": "volumes"}
        cluster[kept[sort]].pop(name if sort != "pool" else key, None)


def node_name(cluster: str, key: str) -> str:
    """Return what a node is called: the cluster, and a name that says nothing else."""
    return f"{cluster}-{hashlib.sha256(f'{cluster} {key}'.encode()).hexdigest()[:8]}"


def as_build(cluster: Cluster) -> dict[str, Any] | None:
    """Return what stands as neutral JSON; None: no control plane does."""
    if cluster["control_plane"] is None:
        return None
    counts = dict.fromkeys(cluster["pools"], 0)
    for key in cluster["nodes"]:
        counts["pool/" + key.removeprefix("node/").rpartition("/")[0]] += 1
    return {
        "format": "rombel-build/1",
        "cluster": cluster["cluster"],
        "region": cluster["region"],
        "control_plane": cluster["control_plane"],
        "pools": [{**pool, "nodes": counts[key]} for key, pool in sorted(cluster["pools"].items())],
        "ranges": [cluster["ranges"][name] for name in sorted(cluster["ranges"])],
        "gateways": [{"zone": zone} for zone in cluster["gateways"]],
        "add_ons": [cluster["add_ons"][name] for name in sorted(cluster["add_ons"])],
        "volumes": [cluster["volumes"][name] for name in sorted(cluster["volumes"])],
    }


def with_volumes(cluster: Cluster) -> None:
    """Let every replica of a stateful workload with claims have its volumes, where it stands; those that are there already stay."""
    zones = {node["name"]: key.removeprefix("node/").split("/")[2] for key, node in cluster["nodes"].items()}
    claims = {
        (each["metadata"].get("namespace", "default"), each["metadata"]["name"]): each["spec"].get(
            "volumeClaimTemplates", []
        )
        for each in cluster["objects"]
    }
    numbers: dict[tuple[str, str], int] = {}
    for pod in cluster["pods"]:
        own = (pod["namespace"], pod["workload"])
        numbers[own] = numbers.get(own, -1) + 1
        for claim in claims[own] if pod["node"] else []:
            name = f"{claim['metadata']['name']}-{pod['workload']}-{numbers[own]}, {pod['namespace']}"
            size = memory_bytes(claim["spec"]["resources"]["requests"]["storage"])
            volume = {"name": name, "zone": zones[pod["node"]], "size_gib": max(1, -(-size // 2**30))}
            cluster["volumes"].setdefault(name, volume)


def listing_of(cluster: Cluster, listed: PriceList) -> dict[str, Any]:
    """Return a cluster as its API lists it: nodes, workloads and pods, in the published list form."""
    types = {entry.name: entry for entry in listed.types}
    items = [*_nodes(cluster, types), *cluster["objects"], *_pods(cluster)]
    return {"apiVersion": "v1", "kind": "List", "items": items}


def _nodes(cluster: Cluster, types: Mapping[str, Any]) -> Iterator[dict[str, Any]]:
    for key, node in sorted(cluster["nodes"].items()):
        kind, _, zone, _ = key.removeprefix("node/").split("/")
        labels = {TYPE_LABEL: kind, ZONE_LABEL: zone, ARCHITECTURE_LABEL: types[kind].architecture}
        usable = {
            "cpu": str(types[kind].vcpu),
            "memory": str(types[kind].memory_bytes),
            "pods": str(types[kind].most_pods),
        }
        spec = {"podCIDR": block} if (block := _block(cluster, zone, node["place"])) else {}
        yield {
            "apiVersion": "v1",
            "kind": "Node",
            "metadata": {"name": node["name"], "labels": labels},
            "spec": spec,
            "status": {
                "capacity": usable,
                "allocatable": usable,
                "nodeInfo": {"kubeletVersion": f"v{node['version']}.2"},
                "conditions": [{"type": "Ready", "status": "True"}],
            },
        }


def _block(cluster: Cluster, zone: str, place: int) -> str:
    """Return a node's block of the zone's range of pods; empty where the zone has none, or all blocks are taken."""
    own = [each for each in cluster["ranges"].values() if each["carries"] == "pods" and each.get("zone") == zone]
    if not own:
        return ""
    whole = ip_network(own[0]["range"])
    prefix = min(whole.max_prefixlen, max(whole.prefixlen, 24 if whole.version == 4 else 80))
    count = 2 ** (prefix - whole.prefixlen)
    base = int(whole.network_address) + (place % count) * 2 ** (whole.max_prefixlen - prefix)
    return str(ip_network((base, prefix)))


def _pods(cluster: Cluster) -> Iterator[dict[str, Any]]:
    owners = {
        (each["metadata"].get("namespace", "default"), each["metadata"]["name"]): each for each in cluster["objects"]
    }
    for number, pod in enumerate(cluster["pods"]):
        owner = owners[pod["namespace"], pod["workload"]]
        job = owner["kind"] == "Job"
        template = owner["spec"]["template"]
        yield {
            "apiVersion": "v1",
            "kind": "Pod",
            "metadata": {
                "name": f"{pod['workload']}-{number:05d}",
                "namespace": pod["namespace"],
                "labels": template["metadata"]["labels"],
                "ownerReferences": [{"kind": owner["kind"], "name": pod["workload"], "controller": True}],
            },
            "spec": {**template["spec"], **({"nodeName": pod["node"]} if pod["node"] else {})},
            "status": {"phase": "Running" if pod["node"] or job else "Pending"},
        }

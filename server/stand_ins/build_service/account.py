"""An account at the made-up provider: what it may have, its clusters, and builds that go on while nobody looks."""

from __future__ import annotations

import json
import random
import threading
import time
from collections.abc import Callable, Iterable, Iterator, Mapping
from ipaddress import ip_network
from typing import Any

from rombel.building import AT_ONCE, PartKind, Times, change_list, parts_of
from rombel.errors import InputRefused
from rombel.formats.build_json import read_build
from rombel.model.price_list import ListedQuota, PriceList
from stand_ins.build_service.clusters import (
    Cluster,
    as_build,
    listing_of,
    new_cluster,
    node_name,
    stand,
    take_away,
    with_volumes,
)
from stand_ins.build_service.keeping import Kept

Build = dict[str, Any]
TIMES = Times()
WAITING, RUNNING, DONE, STUCK, UNDOING, UNDONE = "waiting", "running", "done", "stuck", "going back", "taken back"
OPEN = (WAITING, RUNNING, STUCK, UNDOING)


class Refused(Exception):
    """A request that is not taken: a status line and what is wrong."""

    def __init__(self, status: str, *faults: str) -> None:
        self.status, self.faults = status, faults
        super().__init__("; ".join(faults))


class Account:
    """Builds by key and clusters by name, kept in a file; everything is brought up to the present whenever somebody asks.

    Parameters
    ----------
    current
        The provider's price list: which types stand where, and the account's quotas.
    kept
        Where builds and clusters are kept.
    speed
        How many of the provider's seconds pass in one of ours.
    clock
        Seconds since some day.
    sold_out
        By instance type, how often its nodes are asked for in vain.

    """

    def __init__(
        self,
        current: Callable[[], PriceList],
        kept: Kept,
        *,
        speed: float = 60.0,
        clock: Callable[[], float] = time.time,
        sold_out: Mapping[str, int] | None = None,
    ) -> None:
        self.listed, self._kept, self._speed, self._clock = current(), kept, speed, clock
        self._sold_out = dict(sold_out or {})
        self._lock = threading.RLock()

    # --- builds ---------------------------------------------------------------------------------------------

    def put_build(self, key: str, asked: Mapping[str, Any]) -> tuple[bool, Build]:
        """Begin a build, or find it again by its key; return whether it is new, and how it stands.

        Raises
        ------
        Refused
            What the service does not take, with everything that is wrong.

        """
        with self._lock:
            wanted: Any = asked.get("build")
            how = {name: bool(asked.get(name)) for name in ("remove", "renew", "volumes")}
            before = self._kept.get("build", key)
            if before is not None:
                # The same key and wish are the same build, however often they come: who asked may have died before the answer.
                if before["wanted"] != wanted or any(before[name] != value for name, value in how.items()):
                    raise Refused("409 Conflict", "Another build has this key.")
                return False, self._seen(self._advanced(key, before))
            cluster = self._cluster_of(wanted)
            if not how["remove"]:
                self._look_through(cluster, wanted)
            items = self._items(key, wanted, cluster, how)
            # Kept with the build, so that one that is under way keeps its pace when the service is started anew.
            speed = float(asked.get("speed") or self._speed)
            build: Build = {
                "cluster": cluster["cluster"],
                "wanted": wanted,
                **how,
                "items": items,
                "speed": speed,
                "paused": False,
                "back": False,
                "at": self._clock(),
            }
            self._kept.put("cluster", cluster["cluster"], cluster)
            return True, self._seen(self._advanced(key, build))

    def _items(self, key: str, wanted: Any, cluster: Cluster, how: Mapping[str, bool]) -> dict[str, Any]:
        """Return what is to be done, each entry with what it takes, which the key alone decides."""
        changes = change_list(
            {} if how["remove"] else parts_of(wanted),
            parts_of(as_build(cluster)),
            times=TIMES,
            renew=how["renew"],
            volumes=how["volumes"],
        )
        # A build sent again after a crash takes what it took before.
        rng = random.Random(key)
        return {
            change.key: {
                "do": str(change.doing),
                "kind": str(change.part.kind),
                "needs": list(change.needs),
                "takes": round(change.span.drawn(rng), 1),
                "state": WAITING,
                "message": "",
            }
            for change in changes
            if change.span.median_s
        }

    def build(self, key: str) -> Build:
        """Return how a build stands now."""
        with self._lock:
            return self._seen(self._advanced(key, self._found("build", key)))

    def steer(self, key: str, how: str) -> Build:
        """Pause a build, let it go on, try again what is stuck, or take back what it made; asked twice it is done once."""
        with self._lock:
            build = self._advanced(key, self._found("build", key))
            if how == "pause":
                build["paused"] = True
            elif how == "resume":
                build["paused"] = False
            elif how == "retry":
                for item in build["items"].values():
                    if item["state"] == STUCK:
                        item.update(state=WAITING, message="")
            # There is no way back from going back.
            elif not build["back"]:
                build["back"], build["paused"] = True, False
                self._turn_back(build)
            # It was brought up to the present above: what begins now begins now.
            build["at"] = self._clock()
            self._kept.put("build", key, build)
            return self._seen(self._advanced(key, build))

    # --- clusters -------------------------------------------------------------------------------------------

    def cluster(self, name: str) -> dict[str, Any]:
        """Return what stands of a cluster as neutral JSON."""
        with self._lock:
            self._bring_up(name)
            found = as_build(self._found("cluster", name))
        if found is None:
            raise Refused("404 Not Found", f"No control plane of {name} stands.")
        return found

    def listing(self, name: str) -> dict[str, Any]:
        """Return a cluster as its API lists it."""
        with self._lock:
            self._bring_up(name)
            return listing_of(self._found("cluster", name), self.listed)

    def put_workloads(self, name: str, asked: Mapping[str, Any]) -> None:
        """Let workloads run: objects of the API, and by node key which replicas stand there; daemon workloads stand on every node."""
        with self._lock:
            cluster = self._found("cluster", name)
            names = {key: node["name"] for key, node in cluster["nodes"].items()}
            pods = [
                {"namespace": own.partition("/")[0], "workload": own.partition("/")[2], "node": names.get(key, "")}
                for key, here in asked["placement"].items()
                for own, count in here.items()
                for _ in range(count)
            ]
            objects = [each for each in asked["objects"] if each["kind"] in _WITH_PODS]
            for each in objects:
                if each["kind"] == "DaemonSet":
                    own = {"namespace": each["metadata"]["namespace"], "workload": each["metadata"]["name"]}
                    pods += [{**own, "node": node} for node in names.values()]
            cluster.update(objects=objects, pods=pods)
            with_volumes(cluster)
            self._kept.put("cluster", name, cluster)

    def disturb(self, name: str) -> None:
        """Let somebody have been at the cluster by hand: a node less, an older version, more replicas and larger requests of the first workloads."""
        with self._lock:
            cluster = self._found("cluster", name)
            nodes = sorted(cluster["nodes"])
            take_away(cluster, nodes[-1])
            # An older version, as a node has that somebody forgot.
            cluster["nodes"][nodes[0]]["version"] = "1.29"
            busy = [each for each in cluster["objects"] if each["kind"] == "Deployment"][:2]
            for each in busy[:1]:
                own = {"namespace": each["metadata"]["namespace"], "workload": each["metadata"]["name"]}
                node = cluster["nodes"][nodes[0]]["name"]
                cluster["pods"] += [{**own, "node": node}] * 3
            for each in busy[1:]:
                each["spec"]["template"]["spec"]["containers"][0]["resources"]["requests"]["cpu"] = "2"
            self._kept.put("cluster", name, cluster)

    # --- how it goes on -------------------------------------------------------------------------------------

    def _found(self, sort: str, name: str) -> dict[str, Any]:
        found = self._kept.get(sort, name)
        if found is None:
            raise Refused("404 Not Found", f"There is no {sort} {name}.")
        return found

    def _cluster_of(self, wanted: Any) -> Cluster:
        if not isinstance(wanted, Mapping):
            raise Refused("422 Unprocessable Content", "build: no build is stated.")
        try:
            read_build(json.dumps(wanted))
        except InputRefused as refused:
            faults = [str(fault) for fault in refused.faults]
            raise Refused("422 Unprocessable Content", *faults) from None
        name = wanted["cluster"]
        if not name:
            raise Refused("422 Unprocessable Content", "cluster: a cluster has a name.")
        # Two builds of one cluster would each count on what the other takes away.
        if any(own["cluster"] == name and _is_open(own) for _, own in self._all_builds()):
            raise Refused("409 Conflict", f"Another build of {name} is under way.")
        return self._kept.get("cluster", name) or new_cluster(name, wanted["region"])

    def _all_builds(self) -> Iterator[tuple[str, Build]]:
        for key, build in list(self._kept.all("build")):
            yield key, self._advanced(key, build) if _is_open(build) else build

    def _bring_up(self, cluster: str) -> None:
        for key, build in list(self._kept.all("build")):
            if build["cluster"] == cluster and _is_open(build):
                self._advanced(key, build)

    def _look_through(self, cluster: Cluster, wanted: Mapping[str, Any]) -> None:
        """Refuse what cannot be built, whatever else the account has."""
        sold = {
            (offer.instance_type, str(offer.purchase), offer.zone): offer
            for offer in self.listed.offers
            if offer.region == wanted["region"]
        }
        faults = []
        for place, pool in enumerate(wanted["pools"]):
            key = (pool["instance_type"], pool["purchase"], pool["zone"])
            # A pool of no node asks for nothing that would have to be sold.
            if pool["nodes"] and key not in sold:
                faults.append(f"pools.{place}: {key[0]} is not sold {key[1]} in {key[2]}.")
        own = [(each["name"], ip_network(each["range"])) for each in wanted["ranges"]]
        others = [
            (f"{name}: {each['name']}", ip_network(each["range"]))
            for name, other in self._kept.all("cluster")
            if name != cluster["cluster"]
            for each in other["ranges"].values()
        ]
        for place, (name, one) in enumerate(own):
            for other_name, other in (*own[:place], *others):
                if one.version == other.version and one.overlaps(other):
                    faults.append(f"ranges.{place}: {name} ({one}) overlaps {other_name} ({other}).")
        counted = self._counted({**pool, "region": wanted["region"]} for pool in wanted["pools"])
        for quota in self.listed.quotas:
            if counted[_name(quota)] > quota.most:
                faults.append(f"The quota {quota.name} is {quota.most}; this would be {counted[_name(quota)]}.")
        if faults:
            raise Refused("422 Unprocessable Content", *faults)

    def _advanced(self, key: str, build: Build) -> Build:
        """Let a build go on to the present, and keep it where anything changed."""
        now, cluster = self._clock(), self._found("cluster", build["cluster"])
        at, items, moved = build["at"], build["items"], False
        while True:
            moved |= self._begun(build, cluster, at)
            under_way = [item for item in items.values() if item["state"] in (RUNNING, UNDOING)]
            # From one end to the next: what begins then begins at that moment, and not now, when somebody happens to look.
            following = min((item["ends"] for item in under_way), default=None)
            if following is None or following > now:
                break
            at = following
            for name, item in items.items():
                if item["state"] in (RUNNING, UNDOING) and item["ends"] <= at:
                    self._ended(build, cluster, name, item)
                    moved = True
        if moved or self._kept.get("build", key) is None:
            build["at"] = at
            self._kept.put("cluster", cluster["cluster"], cluster)
            self._kept.put("build", key, build)
        return build

    def _begun(self, build: Build, cluster: Cluster, at: float) -> bool:
        """Begin what is ready, as far as there are places; return whether anything was."""
        if build["paused"] or build["back"]:
            return False
        items, moved, used = build["items"], False, dict[str, int]()
        places = AT_ONCE - sum(item["state"] == RUNNING for item in items.values())
        for name, item in items.items():
            if places <= 0:
                break
            # Needs that are no entry stand already.
            if item["state"] != WAITING or any(items[need]["state"] != DONE for need in item["needs"] if need in items):
                continue
            moved = True
            if item["kind"] == PartKind.NODE and item["do"] == "create":
                used = used or self._used(cluster)
                if hurdle := self._hurdle(cluster, name, used):
                    item.update(state=STUCK, message=hurdle)
                    continue
            item.update(state=RUNNING, began=at, ends=at + item["takes"] / build["speed"], message="")
            places -= 1
        return moved

    def _hurdle(self, cluster: Cluster, name: str, used: dict[str, int]) -> str:
        """Return what keeps a node from standing now, empty: nothing, and then it counts as used."""
        kind, purchase, zone, _ = name.removeprefix("node/").split("/")
        # Asked for in vain so many times, then there is some again: whoever tries again gets it.
        if self._sold_out.get(kind, 0) > 0:
            self._sold_out[kind] -= 1
            return f"No {kind} is to be had in {zone} at the moment."
        pool = {"region": cluster["region"], "instance_type": kind, "purchase": purchase, "zone": zone}
        more = self._counted([pool])
        for quota in self.listed.quotas:
            if used[_name(quota)] + more[_name(quota)] > quota.most:
                return f"The quota {quota.name} of {quota.most} is used up."
        for name, amount in more.items():
            used[name] += amount
        return ""

    def _used(self, cluster: Cluster) -> dict[str, int]:
        """Return by quota what all clusters have, nodes that are being made too."""
        found = dict(self._kept.all("cluster")) | {cluster["cluster"]: cluster}
        # As a set: a node that stands and whose making has not been closed yet counts once.
        keys = {(name, key) for name, own in found.items() for key in own["nodes"]}
        for _, build in self._kept.all("build"):
            making = [
                key for key, item in build["items"].items() if item["state"] == RUNNING and item["do"] == "create"
            ]
            keys |= {(build["cluster"], key) for key in making if key.startswith("node/")}
        pools = []
        for name, key in keys:
            kind, purchase, zone, _ = key.removeprefix("node/").split("/")
            region = found[name]["region"]
            pools.append({"region": region, "instance_type": kind, "purchase": purchase, "zone": zone})
        return self._counted(pools)

    def _counted(self, nodes: Iterable[Mapping[str, Any]]) -> dict[str, int]:
        """Return by quota what nodes take of it, each as its pool says, or as many as that has."""
        types = {entry.name: entry for entry in self.listed.types}
        counted = dict.fromkeys((_name(quota) for quota in self.listed.quotas), 0)
        for node in nodes:
            entry = types.get(node["instance_type"])
            for quota in self.listed.quotas:
                if entry is not None and _counts(quota, node, entry.family):
                    counted[_name(quota)] += node.get("nodes", 1) * (entry.vcpu if quota.unit == "vcpu" else 1)
        return counted

    def _ended(self, build: Build, cluster: Cluster, name: str, item: dict[str, Any]) -> None:
        back = item["state"] == UNDOING
        if back or item["do"] == "remove":
            take_away(cluster, name)
        else:
            stand(cluster, name, build["wanted"])
        item.update(state=UNDONE if back else DONE, ended=item["ends"])
        if build["back"]:
            self._go_back(build, item["ends"])

    def _turn_back(self, build: Build) -> None:
        """Stop, and take away what was made: what needs a part goes before it."""
        for item in build["items"].values():
            if item["state"] in (WAITING, STUCK, RUNNING):
                # What is being made is given up at once; what was changed or removed stays so.
                item.update(state=UNDONE, message="")
        self._go_back(build, self._clock())

    def _go_back(self, build: Build, at: float) -> None:
        items = build["items"]
        for name, item in items.items():
            if item["state"] != DONE or item["do"] != "create":
                continue
            # What was made on top of it has to be gone first; what was only changed stays and does not count.
            above = [own for own in items.values() if name in own["needs"]]
            if all(own["state"] == UNDONE or own["do"] != "create" for own in above):
                takes = TIMES.spans[PartKind(item["kind"])][2].median_s
                item.update(state=UNDOING, ends=at + takes / build["speed"])

    def _seen(self, build: Build) -> Build:
        """Return a build as its maker sees it, with what came of it; whoever keeps the outputs leaves the secret out."""
        cluster = self._found("cluster", build["cluster"])
        name = build["cluster"]
        return {
            "cluster": name,
            "state": _state_of(build),
            "items": [
                {
                    "key": key,
                    "do": item["do"],
                    "state": item["state"],
                    "message": item["message"],
                    "began": item.get("began"),
                    "ended": item.get("ended"),
                }
                for key, item in build["items"].items()
            ],
            "outputs": {
                "api": f"https://{name}.api.skerry.example" if cluster["control_plane"] else "",
                "version": (cluster["control_plane"] or {}).get("version", ""),
                "gateways": {
                    zone: f"198.51.100.{10 + place}" for place, zone in enumerate(sorted(cluster["gateways"]))
                },
                "nodes": {key: node_name(name, key) for key in sorted(cluster["nodes"])},
                "token": f"secret-{name}",
            },
        }


_WITH_PODS = ("Deployment", "StatefulSet", "DaemonSet", "Job")


def _name(quota: ListedQuota) -> str:
    """Return what names a quota among those of all regions."""
    return f"{quota.region}/{quota.name}"


def _counts(quota: ListedQuota, pool: Mapping[str, Any], family: str) -> bool:
    """Return whether a quota counts a pool's nodes; those of other units than vCPUs and nodes count none."""
    return (
        quota.unit in ("vcpu", "nodes")
        and pool["region"] == quota.region
        and quota.family in ("", family)
        and quota.zone in ("", pool["zone"])
        and (quota.purchase is None or str(quota.purchase) == pool["purchase"])
    )


def _is_open(build: Mapping[str, Any]) -> bool:
    if build["back"]:
        return any(
            item["state"] == UNDOING or (item["state"] == DONE and item["do"] == "create")
            for item in build["items"].values()
        )
    return any(item["state"] in OPEN for item in build["items"].values())


def _state_of(build: Mapping[str, Any]) -> str:
    states = {item["state"] for item in build["items"].values()}
    if build["back"]:
        return "going back" if _is_open(build) else "taken back"
    if not states & set(OPEN):
        return "done"
    if build["paused"]:
        return "paused"
    return "stuck" if STUCK in states and RUNNING not in states else "running"

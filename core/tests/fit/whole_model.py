"""The straightforward assignment model of the interchange format, for a general solver (CP-SAT of OR-Tools): one integer a node and class.

It is written from the format's text alone and shares nothing with the fit. Also the random problems that it is put to: quotas, missing
offers, zero quotas, interruptible offers, any spread, limits on pools, equal zones, promises of single workloads.
"""

import random
from typing import Any

from ortools.sat.python import cp_model

SECONDS = 60.0


class Unproved(Exception):
    """The general solver came to no end in its time."""


class WholeModel:
    """Candidate nodes by offer, each with its replicas, and with what lands on it when a zone is lost."""

    def __init__(self, raw: dict[str, Any]) -> None:
        self.raw, self.model = raw, cp_model.CpModel()
        self.zones, self.workloads = raw["zones"], raw["workloads"]
        self.daemon = raw.get("daemon", {})
        total = sum(entry["replicas"] for entry in self.workloads)
        # More replicas than any zone could need once another is lost, so that this bound cuts off no answer.
        self.most = 9 * max((entry["replicas"] for entry in self.workloads), default=0)
        limits = raw.get("limits", {})
        self.per_pool, self.per_zone = (
            limits.get("fewest_nodes_per_pool") or 0,
            limits.get("fewest_nodes_per_zone") or 0,
        )
        # A node for each replica in each of three zones is enough for every promise; the rest is for pools that ask for more.
        nodes = 3 * total + self.per_pool + self.per_zone
        self.nodes = [
            (kind, offer, self.model.NewBoolVar(""))
            for kind in raw["instance_types"]
            for offer in kind["offers"]
            for _ in range(min(nodes, nodes if offer.get("most_nodes") is None else offer["most_nodes"]))
        ]
        self.base = [[self._count(entry, kind, offer) for kind, offer, _ in self.nodes] for entry in self.workloads]
        self._rooms(self.base, lost=None)
        self._limits(limits)
        # What lands depends on what stands, so the standing replicas are variables already.
        self.land = {zone: self._landing(zone) for zone in self.zones}
        for i in range(len(self.workloads)):
            self._counts(i)
        self._break_ties()

    def how(self, entry: dict[str, Any]) -> str:
        # A workload's own promise, where it states one, stands in place of the problem's.
        own = (entry.get("survive") or {}).get("zone")
        return str(own or self.raw["survive"]["zone"])

    def may(self, entry: dict[str, Any], kind: dict[str, Any], offer: dict[str, Any]) -> bool:
        named = (("instance_types", kind["name"]), ("zones", offer["zone"]))
        if any(entry.get(key) is not None and name not in entry[key] for key, name in named):
            return False
        return offer["purchase"] != "interruptible" or entry.get("interruptible_share", 0) > 0

    def usable(self, kind: dict[str, Any], name: str) -> int:
        # Whole units after the headroom, as the format asks for it: what is left over is nobody's.
        left = int(kind["allocatable"].get(name, 0) - self.daemon.get(name, 0))
        return left * (100 - self.raw["limits"].get("headroom", {}).get(name, 0)) // 100

    def asked(self, entry: dict[str, Any], name: str) -> int:
        # Every replica is a pod, whether its request says so or not.
        return int(entry["request"].get(name, 1 if name == "pods" else 0))

    def _count(self, entry: dict[str, Any], kind: dict[str, Any], offer: dict[str, Any]) -> Any:
        most = entry.get("most_per_node")
        top = self.most if most is None else min(most, self.most)
        return self.model.NewIntVar(0, top if self.may(entry, kind, offer) else 0, "")

    def _rooms(self, loads: list[list[Any]], lost: str | None) -> None:
        for index, (kind, offer, used) in enumerate(self.nodes):
            # The nodes of the lost zone hold nothing any more.
            if offer["zone"] == lost:
                continue
            for name in self.raw["resources"]:
                whole = sum(self.asked(e, name) * loads[i][index] for i, e in enumerate(self.workloads))
                self.model.Add(whole <= self.usable(kind, name) * used)

    def _landing(self, zone: str) -> list[list[Any]]:
        land = []
        for i, entry in enumerate(self.workloads):
            lands = self.how(entry) == "landing"
            row = [
                self._count(entry, kind, offer) if lands and offer["zone"] != zone else self.model.NewConstant(0)
                for kind, offer, _ in self.nodes
            ]
            if lands:
                # As many land elsewhere as stood in the zone that is lost: none is given up.
                self.model.Add(sum(row) == self._in(i, zone))
            most = entry.get("most_per_node")
            if lands and most is not None:
                for base, arriving in zip(self.base[i], row, strict=True):
                    # The most on a node counts those that were there and those that arrive alike.
                    self.model.Add(base + arriving <= most)
            land.append(row)
        whole = [[b + a for b, a in zip(base, row, strict=True)] for base, row in zip(self.base, land, strict=True)]
        if any(self.how(entry) == "landing" for entry in self.workloads):
            self._rooms(whole, lost=zone)
        return land

    def _in(self, i: int, zone: str) -> Any:
        return sum(x for x, (_, offer, _u) in zip(self.base[i], self.nodes, strict=True) if offer["zone"] == zone)

    def domains(self, entry: dict[str, Any]) -> list[str]:
        return [
            zone
            for zone in self.zones
            if any(
                # A zone counts for the spread where one replica could run; whether it has room left does not matter.
                offer["zone"] == zone and offer.get("most_nodes") != 0 and self.may(entry, kind, offer)
                and all(self.asked(entry, name) <= self.usable(kind, name) and self.usable(kind, name) >= 0
                        for name in self.raw["resources"])
                for kind in self.raw["instance_types"]
                for offer in kind["offers"]
            )
        ]  # fmt: skip

    def _counts(self, i: int) -> None:
        entry, total, how = self.workloads[i], sum(self.base[i]), self.how(self.workloads[i])
        if how == "standing":
            self.model.Add(total >= entry["replicas"])
            for zone in self.zones:
                # Whichever zone is lost, enough must be left in the others.
                self.model.Add(total - self._in(i, zone) >= entry.get("must_stand", entry["replicas"]))
        else:
            self.model.Add(total == entry["replicas"])
        # Equal zones are the spread rule with no difference at all.
        skew = 0 if entry.get("equal_zones") else entry.get("zone_skew")
        for a in self.domains(entry) if skew is not None else ():
            for b in self.domains(entry):
                self.model.Add(self._in(i, a) - self._in(i, b) <= skew)
        # In hundredths, so that the solver sees whole numbers only.
        share = round(100 * entry.get("interruptible_share", 0))
        self.model.Add(100 * self._risky(self.base[i]) <= share * total)
        if how == "landing":
            for zone, land in self.land.items():
                stay = [b for b, (_, o, _u) in zip(self.base[i], self.nodes, strict=True) if o["zone"] != zone]
                kept = [node for node in self.nodes if node[1]["zone"] != zone]
                # After the loss the share still holds, over those that stayed and those that landed.
                risky = sum(b for b, (_, o, _u) in zip(stay, kept, strict=True) if o["purchase"] == "interruptible")
                self.model.Add(100 * (risky + self._risky(land[i])) <= share * entry["replicas"])

    def _risky(self, counts: list[Any]) -> Any:
        return sum(x for x, (_, o, _u) in zip(counts, self.nodes, strict=True) if o["purchase"] == "interruptible")

    def _limits(self, limits: dict[str, Any]) -> None:
        pools: dict[tuple[str, str], list[Any]] = {}
        places: dict[tuple[str, str, str], list[Any]] = {}
        for kind, offer, used in self.nodes:
            pools.setdefault((kind["name"], offer["purchase"]), []).append(used)
            places.setdefault((kind["name"], offer["purchase"], offer["zone"]), []).append(used)
        for entry in self.raw["instance_types"]:
            for sold in entry["offers"]:
                if sold.get("fewest_nodes"):
                    self.model.Add(sum(places[entry["name"], sold["purchase"], sold["zone"]]) >= sold["fewest_nodes"])
        runs = []
        for nodes, fewest in [(n, self.per_pool) for n in pools.values()] + [
            (n, self.per_zone) for n in places.values()
        ]:
            run = self.model.NewBoolVar("")
            # A pool runs as soon as one of its nodes does.
            self.model.AddMaxEquality(run, nodes)
            self.model.Add(sum(nodes) >= fewest * run)
            runs.append(run)
        if limits.get("most_pools") is not None:
            # Pools stand first in the list; the rest of it are pools by zone.
            self.model.Add(sum(runs[: len(pools)]) <= limits["most_pools"])

    def _break_ties(self) -> None:
        """Nodes of one offer run from the first on."""
        for (a, one, first), (b, other, second) in zip(self.nodes, self.nodes[1:], strict=False):
            if a is b and one is other:
                # Candidates of an offer are alike; any order of them would be another solution of the same cost.
                self.model.AddImplication(second, first)

    def cost(self) -> float | None:
        """Return the proved least cost, or None when it is proved that there is no answer."""
        # Prices of these problems have four decimals: times ten thousand they are whole and exact.
        nodes = sum(round(10_000 * float(offer["price_per_hour"])) * used for _, offer, used in self.nodes)
        self.model.Minimize(nodes + sum(self._charge(*entry) for entry in self.raw.get("zone_charges", {}).items()))
        solver = cp_model.CpSolver()
        solver.parameters.num_workers = 2
        solver.parameters.max_time_in_seconds = SECONDS
        status = solver.Solve(self.model)
        if status == cp_model.INFEASIBLE:
            return None
        if status != cp_model.OPTIMAL:
            raise Unproved
        return solver.ObjectiveValue() / 10_000

    def _charge(self, zone: str, charges: dict[str, str]) -> Any:
        runs = self.model.NewBoolVar("")
        for _, offer, used in self.nodes:
            if offer["zone"] == zone:
                # One node in the zone, and its charges are due.
                self.model.AddImplication(used, runs)
        return sum(round(10_000 * float(price)) for price in charges.values()) * runs


def charged_value(seed: int) -> dict[str, Any]:
    """Return a random tiny problem in which using a zone costs something of its own, about as much as a node."""
    # A generator apart, so that the problem beneath is the same with charges and without.
    raw, rng = wild_value(seed), random.Random(seed + 2_000_003)
    price = max([1.0, *(float(o["price_per_hour"]) for kind in raw["instance_types"] for o in kind["offers"])])
    charged = [zone for zone in raw["zones"] if rng.random() < 0.8]
    raw["zone_charges"] = {zone: {"gateway": f"{rng.uniform(0.01, 1.5) * price:.4f}"} for zone in charged}
    return raw


def wild_value(seed: int) -> dict[str, Any]:
    """Return a random tiny problem in which every rule of the format may stand, also against the others."""
    rng = random.Random(seed)
    # Three zones are the usual case; one and two are where promises cannot be kept or nearly not.
    zones = ["amber", "birch", "cedar"][: rng.choice((1, 2, 3, 3, 3))]
    resources = ["cpu_millicores", "memory_bytes", "pods"][: rng.choice((1, 2, 3))]
    types = [_type(rng, number, zones, resources) for number in range(rng.randint(1, 3))]
    # Few replicas: the general solver has to prove its optimum in seconds.
    workloads, left = [], rng.choice((4, 7, 9))
    for number in range(rng.randint(1, 3)):
        replicas = rng.randint(1, max(1, min(5, left)))
        left -= replicas
        workloads.append(_workload(rng, number, replicas, [entry["name"] for entry in types], zones, resources))
    raw = {
        "format": "rombel-fit-problem/1",
        "currency": "EUR",
        "zones": zones,
        "resources": resources,
        "instance_types": types,
        "workloads": workloads,
        "survive": {"zone": rng.choice(("none", "standing", "landing"))},
        "limits": {
            "most_pools": rng.choice((None, None, None, 1, 2)),
            "fewest_nodes_per_pool": rng.choice((None, None, None, 2, 3)),
            "fewest_nodes_per_zone": rng.choice((None, None, None, 2)),
        },
    }
    if rng.random() < 0.3:
        raw["daemon"] = {name: rng.randint(0, 1) for name in resources}
    # From a generator of its own: rules that came later left the problems of a seed as they were.
    _more_rules(raw, random.Random(seed + 1_000_003))
    return raw


def _more_rules(raw: dict[str, Any], rng: random.Random) -> None:
    """State some of the rules that stand for themselves: how many must be left, nodes that run in any case, room that stays free."""
    for entry in raw["workloads"]:
        if rng.random() < 0.3:
            entry["must_stand"] = rng.randint(1, entry["replicas"])
    for kind in raw["instance_types"]:
        for offer in kind["offers"]:
            if rng.random() < 0.08 and offer["most_nodes"] != 0:
                offer["fewest_nodes"] = rng.randint(1, offer["most_nodes"] or 2)
    if rng.random() < 0.2:
        raw["limits"]["headroom"] = {raw["resources"][0]: rng.choice((10, 25, 50))}


def _type(rng: random.Random, number: int, zones: list[str], resources: list[str]) -> dict[str, Any]:
    size = rng.randint(4, 12)
    base = size * rng.uniform(0.8, 1.4)
    offers = []
    for purchase, factor in (("on-demand", 1.0), ("interruptible", 0.4)):
        if purchase == "interruptible" and rng.random() < 0.6:
            continue
        for zone in zones:
            if rng.random() < 0.85:
                # Now and then half or three times what the size suggests, so that no type wins everywhere.
                price = f"{base * factor * rng.choice((0.5, 0.95, 1.0, 1.0, 1.1, 3.0)) / 10:.4f}"
                # A quota of nothing is not the same as no offer: it must be taken for none all the same.
                quota = rng.choice((None, None, None, 0, 1, 2, 3))
                offers.append({"zone": zone, "purchase": purchase, "price_per_hour": price, "most_nodes": quota})
    room = {name: 6 if name == "pods" else max(1, size + rng.randint(-3, 3)) for name in resources}
    return {"name": f"t{number}", "allocatable": room, "offers": offers}


def _workload(
    rng: random.Random, number: int, replicas: int, types: list[str], zones: list[str], resources: list[str]
) -> dict[str, Any]:
    entry: dict[str, Any] = {
        "name": f"w/{number}",
        "replicas": replicas,
        "request": {name: rng.randint(1, 5) for name in resources if name != "pods"},
        "most_per_node": rng.choice((None, None, 1, 2)),
        "zone_skew": rng.choice((None, None, 1, 2, 3)),
        "equal_zones": rng.random() < 0.1,
        "interruptible_share": rng.choice((0.0, 0.0, 0.25, 0.5, 1.0)),
    }
    if rng.random() < 0.2:
        entry["instance_types"] = rng.sample(types, rng.randint(1, len(types)))
    if rng.random() < 0.2:
        entry["zones"] = rng.sample(zones, rng.randint(1, len(zones)))
    if rng.random() < 0.2:
        entry["survive"] = {"zone": rng.choice(("none", "standing", "landing"))}
    return entry

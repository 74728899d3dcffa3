"""What must exist before a build begins, in the order in which it is needed, as it follows from the plan."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass

from rombel.preflight.situation import Situation


@dataclass(frozen=True, slots=True)
class Prerequisite:
    """Something that must exist: a stable code, what it is, and why."""

    code: str
    what: str
    why: str


def prerequisites(at: Situation) -> Iterator[Prerequisite]:
    """Yield what must exist before the build; access first, since everything else is made with it."""
    yield from _access(at)
    for plan in at.plans:
        names = len(plan.ranges)
        yield Prerequisite(
            f"network.{plan.parent.version}", f"the network {plan.parent} with {names} ranges", "nodes join in them"
        )
    if at.plans and at.gateways:
        zones = ", ".join(at.zones)
        yield Prerequisite("gateways", f"gateways, {at.gateways} a zone: {zones}", "nodes fetch images through them")
    needed: Counter[tuple[str, str]] = Counter()
    for (instance_type, purchase, zone), count in at.nodes.items():
        most = max(count, at.most.get((instance_type, purchase, zone), 0))
        # Over zones together, as quotas of a type rarely name a zone: common practice, no source.
        needed[instance_type, str(purchase)] += most + at.surge
    if needed:
        words = ", ".join(f"{count} {name} ({purchase})" for (name, purchase), count in sorted(needed.items()))
        yield Prerequisite("quota", f"quota for {words}", "the most nodes that may run, and an upgrade's surge")
    if at.build.cluster:
        yield Prerequisite("name", f"the name {at.build.cluster}, free in the provider", "it cannot be changed later")
    if at.build.private_api:
        way = at.build.way_in.strip() or "a way in, not stated yet"
        yield Prerequisite("way_in", f"{way} to the private API", "people and pipelines reach it through that alone")
    for match in at.build.matches:
        yield Prerequisite(
            f"match.{match.what}"[:60], f"{match.what}: '{match.one}' in both places", "one looks the other up"
        )
    used = sorted({key[2] for key in at.nodes})
    if used:
        kinds = sorted({at.architectures.get(key[0], "") for key in at.nodes} - {""})
        of = f" for {' and '.join(kinds)}" if kinds else ""
        yield Prerequisite(
            "images",
            f"images of all workloads{of}, to be had from {', '.join(used)}",
            "a node without them runs nothing",
        )
    for entry in at.build.needed:
        where = ", ".join(zone for zone in used if not entry.zones or zone in entry.zones) or "no zone of the plan"
        yield Prerequisite(f"needed.{entry.what}"[:60], f"{entry.what} in {where}", "nodes fetch it while they join")
    if at.build.domain:
        name = f"{at.build.cluster or 'the cluster'}.{at.build.domain}"
        yield Prerequisite("domain", f"an entry for {name}", "people and pipelines reach the API by it")
    taints = ", ".join(f"{taint.key}={taint.value}:{taint.effect} on {family}" for family, taint in at.taints.items())
    if taints:
        yield Prerequisite("taints", taints, "pools are made with them")


def _access(at: Situation) -> Iterator[Prerequisite]:
    """Yield the credentials, what they must be allowed to make, and keys; what they are is never kept here."""
    yield Prerequisite(
        "credentials",
        "credentials of the account in which is built, in the vault of whoever builds",
        "every step of the build uses them; they are kept outside of Rombel",
    )
    if at.plans:
        made = "networks, ranges and route tables" + (", gateways" if at.gateways else "")
        yield Prerequisite("may.network", f"permission to make {made}", "ranges come before everything else")
    if at.plane is not None:
        tier = f" of the tier {at.plane.tier}" if at.plane.tier else ""
        words = f"permission to make a control plane{tier} with {at.plane.members} members"
        yield Prerequisite("may.plane", words, "nodes join it")
    if at.nodes:
        kinds = sorted({str(key[1]) for key in at.nodes})
        words = f"permission to make and remove nodes, {' and '.join(kinds)}, by hand and by autoscaling"
        yield Prerequisite("may.nodes", words, "pools grow and shrink by themselves")
        yield Prerequisite("may.images", "permission of nodes to read the registry of images", "a node fetches them")
        yield Prerequisite("keys", "keys of the nodes' operators", "a node that does not join is looked at by hand")
    if any(row.pod.volumes for row in at.rows):
        yield Prerequisite("may.volumes", "permission to make and attach volumes", "stateful workloads wait for them")
    if at.plans:
        words = "permission to make load balancers and public addresses"
        yield Prerequisite("may.load_balancers", words, "nobody reaches the services without them")

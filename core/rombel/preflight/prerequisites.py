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
    yield Prerequisite(
        "credentials",
        "credentials that may make networks, nodes and the control plane; kept outside of Rombel",
        "every step of the build uses them",
    )
    for plan in at.plans:
        names = len(plan.ranges)
        yield Prerequisite(
            f"network.{plan.parent.version}", f"the network {plan.parent} with {names} ranges", "nodes join in them"
        )
    if at.plans and at.gateways:
        zones = ", ".join(at.zones)
        yield Prerequisite("gateways", f"{at.gateways} a zone: {zones}", "nodes fetch images through them")
    needed: Counter[tuple[str, str]] = Counter()
    for (instance_type, purchase, zone), count in at.nodes.items():
        most = max(count, at.most.get((instance_type, purchase, zone), 0))
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
    taints = ", ".join(f"{taint.key}={taint.value}:{taint.effect} on {family}" for family, taint in at.taints.items())
    if taints:
        yield Prerequisite("taints", taints, "pools are made with them")

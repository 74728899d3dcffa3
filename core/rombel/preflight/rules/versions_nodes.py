"""Nodes that are too far behind their control plane, or ahead of it."""

from __future__ import annotations

from rombel.model.build import most_behind
from rombel.preflight.rule import Found, Grade, When, rule
from rombel.preflight.situation import Situation


@rule("versions.nodes", When.UPGRADE, "preflight")
def behind(at: Situation) -> Found:
    """Stop: nodes may be three minors older (two before 1.28), never newer (Kubernetes documentation, "Version Skew Policy", from memory)."""
    plane, nodes = at.build.to or at.build.now, at.build.nodes
    if plane is None or nodes is None:
        return
    steps = nodes.steps_to(plane)
    most = most_behind(plane)
    if steps is not None and steps < 0:
        yield (
            Grade.STOP,
            f"nodes of {nodes} are newer than a control plane of {plane}",
            "Upgrade the control plane first.",
        )
    elif steps is not None and steps > most:
        text = f"nodes of {nodes} are {steps} minors behind {plane}, and {most} are borne"
        yield Grade.STOP, text, f"Bring nodes to {plane.major}.{plane.minor - most} or later first."

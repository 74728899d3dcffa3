"""Daemon workloads that leave small nodes without room."""

from __future__ import annotations

from rombel.preflight.rule import Found, Grade, When, rule, some
from rombel.preflight.situation import Situation


@rule("supply.daemons", When.JOINING, "supply")
def crowded(at: Situation) -> Found:
    """Note: nodes of these types would be taken up by what runs on every node, half or more of them in some resource."""
    if at.problem is None:
        return
    daemon = at.problem.daemon
    names = [
        entry.name
        for entry in at.problem.instance_types
        if any(2 * kept >= room > 0 for kept, room in zip(daemon, entry.allocatable, strict=True))
    ]
    if names:
        text = f"daemon workloads take half or more of a node of {some(names)}"
        yield Grade.NOTE, text, "Leave these types out, or request less for daemon workloads."

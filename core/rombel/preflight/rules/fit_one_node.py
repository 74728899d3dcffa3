"""Workloads whose replicas all stand on one node."""

from __future__ import annotations

from rombel.preflight.rule import Found, Grade, Mend, When, rule, some
from rombel.preflight.situation import Situation


@rule("fit.one_node", When.UPGRADE, "fit")
def one_node(at: Situation) -> Found:
    """Care: the first drain takes all of them at once."""
    names = [name for name, on in at.standing.items() if len(on) == 1 and on.total() > 1]
    if names:
        text = f"all replicas stand on one node: {some(names)}"
        cells = {name: {"most_per_node": str(-(-at.standing[name].total() // 2))} for name in names}
        mend = Mend("Let half of them share a node at most", cells)
        yield Grade.CARE, text, "State how many may share a node at most, or a node skew.", mend

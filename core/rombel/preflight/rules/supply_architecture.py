"""Workloads placed on another architecture than they are known to run on."""

from __future__ import annotations

from rombel.formats.demand_columns import show_labels
from rombel.model.study import ARCHITECTURE_LABEL
from rombel.preflight.rule import Found, Grade, Mend, When, rule, some
from rombel.preflight.situation import Situation


@rule("supply.architecture", When.JOINING, "demand")
def moved(at: Situation) -> Found:
    """Care where a workload runs on another today, a note where nobody knows; on nodes of one architecture nobody is surprised."""
    silent = {
        row.full_name for row in at.rows if ARCHITECTURE_LABEL not in row.node_labels and not row.pod.any_architecture
    }
    placed = {
        name: {at.architectures.get(each, "") for each in types}
        for name, types in at.types_of.items()
        if name in silent
    }
    if at.house_architecture or len({kind for kinds in placed.values() for kind in kinds}) < 2:
        return
    elsewhere = [name for name, kinds in placed.items() if name in at.running_on and kinds - at.running_on[name]]
    if elsewhere:
        text = f"placed on another architecture than they run on today, and name none: {some(elsewhere)}"
        labels = {row.full_name: row.node_labels for row in at.rows}
        cells = {
            name: {"node_labels": show_labels({**labels[name], ARCHITECTURE_LABEL: next(iter(at.running_on[name]))})}
            for name in elsewhere
            if len(at.running_on[name]) == 1
        }
        mend = Mend("Keep them on the architecture that they run on", cells)
        fix = "Name the architecture in their rows, or say that any will do."
        yield (Grade.CARE, text, fix, mend) if cells else (Grade.CARE, text, fix)
    unknown = [name for name in placed if name not in at.running_on]
    if unknown:
        words = "name no architecture and were placed on whatever is cheapest; house rules can set one"
        yield Grade.NOTE, f"{len(unknown)} workloads {words}: {some(unknown)}", "Let house rules set one."

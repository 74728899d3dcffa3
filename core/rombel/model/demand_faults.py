"""What keeps rows of demand from being asked for: each row by itself, rows of one name, rows that are to stand together."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from rombel.errors import Fault
from rombel.model.demand import OWN_FIELDS, TOGETHER, Basis, Demand, WorkloadKind, groups
from rombel.model.pod import Amounts


def demand_faults(rows: Sequence[Demand]) -> list[Fault]:
    """Return what is wrong with rows taken together or alone, beyond what reading already refused."""
    faults, seen = [], set()
    for number, row in enumerate(rows):
        path = f"demand[{number}]"
        if row.full_name in seen:
            faults.append(
                Fault("demand.twice", path, f"'{row.full_name}' stands twice.", "Rename or remove one of them.")
            )
        seen.add(row.full_name)
        faults += [Fault(code, path, reason, fix) for code, reason, fix in _alone(row)]
    return faults + list(_group_faults(rows))


def _alone(row: Demand) -> Iterator[tuple[str, str, str]]:
    if not row.name or not row.namespace:
        yield "demand.name", "A workload needs a namespace and a name.", "Give it both."
    texts = [row.namespace, row.name, row.owner, row.journey, row.service, row.together]
    texts += (*row.node_labels, *row.node_labels.values(), *row.labels, *row.labels.values())
    # Names of the API have at most 253 characters.
    if not all(text.isprintable() and len(text) <= 253 for text in texts):
        reason = f"'{row.full_name[:60]}' has a text with control characters or over 253 characters."
        yield "demand.text", reason, "Write names, labels and owner in plain, short text."
    if TOGETHER in row.full_name:
        yield "demand.name", f"'{row.full_name}' has '{TOGETHER}' in its name.", "Choose a name without it."
    if own := OWN_FIELDS & row.pod.resources.keys():
        reason = f"'{row.full_name}' names {', '.join(sorted(own))} among its other resources."
        yield "demand.resources", reason, "State it in its own field."
    if row.full_name in row.pod.apart:
        reason = f"'{row.full_name}' stands apart from itself."
        yield "demand.apart", reason, "Allow one replica on a node instead."
    for name, reason, fix in row.sizing.faults():
        yield f"demand.{name}", f"'{row.full_name}': {reason}", fix


def request_faults(rows: Sequence[Demand]) -> list[Fault]:
    """Return a fault for each row that requests nothing: it may stand in the sheet, but there is nothing to pack by."""
    fix = "State CPU or memory, or measure its use and take a proposal."
    return [
        Fault("demand.request", f"demand[{number}]", f"'{row.full_name}' requests nothing.", fix)
        for number, row in enumerate(rows)
        if row.request == Amounts()
    ]


def _group_faults(rows: Sequence[Demand]) -> Iterator[Fault]:
    for name, members in groups(rows).items():
        reason = ""
        # What keeps a group from being placed as one.
        if any(row.kind is WorkloadKind.DAEMON for row in members):
            reason = "has a daemon workload, which runs on every node anyway"
        elif len({(row.promised, row.survive_zone) for row in members}) > 1:
            reason = "has members that keep the promise to survive a zone in different ways, or not at all"
        elif any(row.sizing.basis is not Basis.FIXED for row in members) and len(members) > 1:
            reason = "has members whose replicas do not follow each other"
        if reason:
            yield Fault("demand.together", "demand", f"The group '{name}' {reason}.", "Make its members alike.")

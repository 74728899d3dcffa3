"""What a cluster goes through after it was built: one version more, new nodes, less, nothing; each with the drill that shows it."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from datetime import date
from decimal import Decimal
from typing import Any

from builds.models import Goal
from catalogue.listed import listed
from rombel.building import Change, Doing, PartKind, VersionStep, version_steps
from rombel.ledger import MONTH, line_amounts
from rombel.model.beside import Per
from rombel.model.build import Version, read_version, told_version
from rombel.model.drill import Drill, DrillKind, DrillStep, Mark
from rombel.model.fit_problem import Purchase
from rombel.simulate.drilling import drill_faults, play_drill
from runs.bills import as_decimal, billed
from runs.commitments import dearest_on_demand
from runs.models import Fit
from runs.questions.drills import book_of
from runs.stored import stored_plan
from studies.beside import commitment_ends
from studies.models import Variant


@dataclass(frozen=True, slots=True)
class Shown:
    """What the drill of a change showed: its mark and the first reason for it, seconds until copies are whole, and an operator's steps."""

    title: str
    mark: Mark
    reason: str
    whole_s: float
    steps: tuple[str, ...]


def runs_now(standing: dict[str, Any] | None, variant: Variant) -> tuple[Version | None, tuple[Version, ...]]:
    """Return the version of the control plane and those of nodes, as far as they are known."""
    nodes = tuple(told_version(pool.get("version", "")) for pool in (standing or {}).get("pools", []) if pool["nodes"])
    known = tuple(version for version in nodes if version is not None)
    plane = told_version((standing or {}).get("control_plane", {}).get("version", ""))
    stated = told_version(variant.build.get("version_now", "")) if standing else None
    return plane or stated or max(known, default=None), known


def steps_up(standing: dict[str, Any] | None, variant: Variant, today: date) -> tuple[VersionStep, ...]:
    """Return the versions that are sold and newer than what runs, each with why it may not be gone to; none where nobody knows what runs."""
    now, nodes = runs_now(standing, variant)
    if now is None or variant.region is None:
        return ()
    sold = {read_version(version): ends for version, ends in listed(variant.region).versions.items()}
    return version_steps(now, nodes, sold, today)


def at_version(standing: dict[str, Any], version: str) -> dict[str, Any]:
    """Return what stands at another version."""
    pools = [{**pool, "version": version} for pool in standing["pools"]]
    return {**standing, "control_plane": {**standing["control_plane"], "version": version}, "pools": pools}


@dataclass(frozen=True, slots=True)
class GoesOn:
    """What is paid a month once the cluster is gone, until somebody ends it too, and why."""

    what: str
    per_month: Decimal
    why: str


def goes_on_costing(fit: Fit, *, volumes: bool) -> tuple[GoesOn, ...]:
    """Return what a retired cluster goes on costing: volumes where they stay, nodes that are committed to, the study's own fees."""
    found = billed(fit)
    # What is counted by zone, node or vCPU ends with them.
    beside = {name for name, fee in fit.variant.beside.get("fees", {}).items() if fee["per"] == Per.STUDY}
    sums: dict[tuple[str, str], Decimal] = {}
    for charge, amount in zip(found.bill.charges, line_amounts(found.bill), strict=True):
        if charge.purchase == Purchase.COMMITTED:
            key = (f"{charge.what}, committed", "it is paid to the end of its term, whether it runs or not")
        elif charge.kind.startswith("volume") and volumes:
            key = (
                charge.kind,
                "volumes stay unless it is said that they go",
            )
        elif charge.kind in beside:
            key = (charge.kind, "the study counts it beside the cluster: see whether it ends with it")
        else:
            continue
        sums[key] = sums.get(key, Decimal(0)) + amount
    paid = (GoesOn(what, amount, why) for (what, why), amount in sums.items() if amount)
    return (*paid, *_bound(fit.variant))


def _bound(variant: Variant) -> Iterator[GoesOn]:
    """Yield the nodes that are committed to already. What they cost nobody stated; it is no more than they cost on demand."""
    prices, ends = dearest_on_demand(variant), commitment_ends(variant.beside)
    for name, count in variant.beside.get("held", {}).items():
        until = f"until {ends[name]}" if name in ends else "to the end of its term"
        why = f"it is paid {until}, whether it runs or not; at most this, which is the price on demand"
        most = as_decimal(count * prices[name] * MONTH) if name in prices else Decimal(0)
        yield GoesOn(f"{count} {name}, committed to already", most, why)


_DRILLS = {
    Goal.UPGRADE: DrillKind.VERSION,
    # Nodes that are replaced leave and join as those do that change their version.
    Goal.REPLACE: DrillKind.VERSION,
    Goal.NOTHING: DrillKind.RETIRE,
}


def drill_of_change(fit: Fit, goal: Goal) -> Shown | None:
    """Return what a drill of an upgrade, of new nodes or of a retirement shows on a plan; None: it is another change."""
    return _played(fit, (DrillStep(_DRILLS[goal]),)) if goal in _DRILLS else None


def drill_of_pools(fit: Fit, changes: Sequence[Change]) -> Shown | None:
    """Return what growing and shrinking the pools of a plan shows, growing first; None: its pools stay as they are.

    Pools that the plan does not have are begun beside it, and move nothing of it.
    """
    stands, after = Counter[tuple[str, str]](), Counter[tuple[str, str]]()
    for batch in stored_plan(fit)[1].nodes:
        stands[batch.instance_type, str(batch.purchase)] += batch.count
    signs = {Doing.CREATE: 1, Doing.REMOVE: -1}
    for change in changes:
        if change.part.kind is PartKind.NODE and change.doing in signs:
            kind, purchase = change.key.split("/")[1:3]
            after[kind, purchase] += signs[change.doing]
    steps: list[DrillStep] = []
    for (kind, purchase), by in sorted(after.items(), key=lambda own: (-own[1], own[0])):
        left = stands[kind, purchase] + by
        if not by or not stands[kind, purchase] or left <= 0:
            continue
        what = DrillKind.GROW if by > 0 else DrillKind.SHRINK
        name = f"{what} {kind}, {purchase}"
        before = steps[-1].name if steps else ""
        steps.append(DrillStep(what, name=name, after=before, instance_type=kind, purchase=purchase, count=left))
    return _played(fit, tuple(steps)) if steps else None


def _played(fit: Fit, steps: tuple[DrillStep, ...]) -> Shown | None:
    """Return what steps show on a plan; None: they are about what it does not have."""
    problem, solution = stored_plan(fit)
    drill, book = Drill("what is to be done", steps), book_of(fit)
    if next(drill_faults(drill, problem, solution, book, drill.name), None) is not None:
        return None
    found = play_drill(problem, solution, replace(book, drills=(drill,)), drill)
    return Shown("; then ".join(found.steps), found.mark, found.reason, found.whole_s, found.checklist)

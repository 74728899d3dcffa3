"""More nodes, larger nodes, or more CPU: what each way to carry a demand costs, really fitted with the types that it allows."""

from __future__ import annotations

from collections.abc import Callable, Collection
from dataclasses import dataclass, replace
from decimal import Decimal
from enum import StrEnum

from rombel.fit import FitObserver, FitParams, Progress, SearchParams, SilentObserver, fit
from rombel.model.fit_problem import FitProblem
from rombel.model.fit_solution import FitSolution, counted

PARAMS = FitParams(search=SearchParams(work=8_000_000), most_pairs_for_patterns=0)
CPU, MEMORY = "cpu_millicores", "memory_bytes"


class Way(StrEnum):
    """Which types may be bought: those that the plan has, larger ones, those with more CPU for their memory, or all that are sold."""

    MORE = "more nodes"
    LARGER = "larger nodes"
    CPU = "more CPU"
    ANY = "any of them"


@dataclass(frozen=True, slots=True)
class WayPlan:
    """What a way comes to.

    Parameters
    ----------
    way, types
        Which way, and the types that it uses.
    cost_per_hour, floor_per_hour
        Of its cheapest plan found, and what is proved of it; None: no plan was found.
    nodes
        How many it has.
    why
        Why none was found; else empty.

    """

    way: Way
    types: tuple[str, ...]
    cost_per_hour: Decimal | None
    floor_per_hour: Decimal | None
    nodes: int
    why: str = ""


def allowed_types(problem: FitProblem, used: Collection[str], way: Way) -> frozenset[str]:
    """Return the types that a way may use; of workloads that can run on none of them, those that the plan has for them stay.

    Larger is a type with more CPU and more memory than any that is used; more CPU, one with less memory for its CPU than all
    that is used has together.
    """
    cpu, memory = problem.resources.index(CPU), problem.resources.index(MEMORY)
    room = {entry.name: (entry.allocatable[cpu], entry.allocatable[memory]) for entry in problem.instance_types}
    here = [room[name] for name in used if name in room]
    if way is Way.ANY or not here:
        return frozenset(room)
    if way is Way.MORE:
        return frozenset(used) & frozenset(room)
    most_cpu, most_memory = max(own[0] for own in here), max(own[1] for own in here)
    ratio = sum(own[1] for own in here) / max(1, sum(own[0] for own in here))
    if way is Way.LARGER:
        found = {name for name, own in room.items() if own[0] > most_cpu and own[1] > most_memory}
    else:
        found = {name for name, own in room.items() if own[1] < ratio * own[0]}
    stranded = [
        workload.instance_types
        for workload in problem.workloads
        if workload.instance_types is not None and workload.replicas and not workload.instance_types & found
    ]
    return frozenset(found | {name for own in stranded for name in own if name in used})


def ways(
    problem: FitProblem,
    solution: FitSolution,
    *,
    seed: int = 0,
    params: FitParams | None = None,
    known: Collection[Way] = (),
    observer: FitObserver | None = None,
    on_way: Callable[[WayPlan], None] | None = None,
) -> list[WayPlan]:
    """Return what each way comes to that is not known yet.

    Parameters
    ----------
    problem
        What is to be carried, with every type that is sold.
    solution
        The plan, whose types say what more and larger are.
    seed, params
        Of every fit.
    known
        Ways that are known.
    observer
        Is told how far it is; where it stops, the ways so far are returned.
    on_way
        Is called with each way as it is known.

    """
    # By type: how it is paid for and where it stands is open to every way.
    used = {key[0] for key in counted(solution.nodes)}
    found: list[WayPlan] = []
    watch = _Ways(observer or SilentObserver(), len(known))
    for way in (way for way in Way if way not in known):
        plan = _way(problem, used, way, seed, params or PARAMS, watch)
        # A fit that was stopped half-way would show a way dearer than it is.
        if watch.stopped:
            break
        watch.done += 1
        found.append(plan)
        if on_way is not None:
            on_way(plan)
    return found


def _way(
    problem: FitProblem, used: Collection[str], way: Way, seed: int, params: FitParams, watch: FitObserver
) -> WayPlan:
    allowed = allowed_types(problem, used, way)
    if not allowed:
        return WayPlan(way, (), None, None, 0, "Nothing of that kind is sold.")
    types = tuple(entry for entry in problem.instance_types if entry.name in allowed)
    own = fit(replace(problem, instance_types=types), seed=seed, params=params, observer=watch)
    if not own.found:
        return WayPlan(way, (), None, None, 0, "; ".join(own.reasons) or "No plan was found.")
    counts = counted(own.nodes)
    names = tuple(sorted({key[0] for key in counts}))
    return WayPlan(way, names, own.cost_per_hour, own.floor_per_hour, sum(counts.values()))


class _Ways:
    """Tells which of the ways is fitted, and remembers a wish to stop."""

    def __init__(self, observer: FitObserver, done: int) -> None:
        self._observer, self.done, self.stopped = observer, done, False

    def on_progress(self, progress: Progress) -> bool:
        """Return whether to stop."""
        share = (self.done + progress.share) / len(Way)
        told = replace(progress, phase=f"way {self.done + 1} of {len(Way)}", share=share)
        # Remembered: whoever computes need not be told the same twice.
        self.stopped = self._observer.on_progress(told) or self.stopped
        return self.stopped

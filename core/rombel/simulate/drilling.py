"""Drills played on a fit: steps in their order, what they showed, and a mark with its first reason."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import partial

import numpy as np

from rombel.errors import Fault, InputRefused
from rombel.model.demand import parted_name
from rombel.model.drill import Drill, DrillBook, DrillKind, DrillStep, Mark
from rombel.model.failure import budget_minutes
from rombel.model.fit_problem import FitProblem, Survival
from rombel.model.fit_solution import FitSolution
from rombel.model.journey import blocks_of
from rombel.simulate.cluster import counted
from rombel.simulate.drills import KINDS
from rombel.simulate.play import Event, Play
from rombel.simulate.unguided import Unguided, play_unguided
from rombel.simulate.worst import candidates

LOSSES = frozenset({DrillKind.NODES, DrillKind.ZONE, DrillKind.INTERRUPTION})
"""Kinds after which replicas look for another node all at once."""


@dataclass(frozen=True, slots=True)
class WorkloadReadout:
    """What happened to a workload: replicas lost, moved and still waiting, fewest and last serving, seconds under what is needed."""

    workload: str
    wished: int
    needed: int
    lost: int
    moved: int
    waiting: int
    least: int
    serving: int
    short_s: float
    waited_s: float


@dataclass(frozen=True, slots=True)
class JourneyReadout:
    """Minutes that a journey was down, of those that its target allows in a budget month; ``down`` says whether it still is."""

    journey: str
    minutes: float
    allowed: float
    down: bool


@dataclass(frozen=True, slots=True)
class PlayedNode:
    """A node that stood, or came, in a drill."""

    name: str
    instance_type: str
    purchase: str
    zone: str


@dataclass(frozen=True, slots=True)
class DrillResult:
    """What a drill showed.

    Parameters
    ----------
    drill
        As it was played: searched nodes are named in it.
    mark, reason
        See ``Mark``; the first reason for it, empty where it held.
    steps
        What was done, in words.
    events, nodes
        What happened, in the order of time, and the nodes that it happened to by their number.
    workloads, journeys
        Those that anything happened to; all journeys.
    free
        By resource, the share of the room of the nodes that stand which nobody requests at the end.
    quorum, no_quorum_s
        Whether the control plane has a majority at the end, and seconds without one.
    serving_s, whole_s, ends_s
        Until everything served again what it must, until its copies were whole, and until nothing more happened.
    extra_nodes
        Nodes ordered beyond those that stood.
    spent
        Seconds by what a change waits for, added up over its nodes.
    checklist, warnings
        The operator's steps, those outside the cluster included; and what to mind.
    searched
        How the nodes that are lost were found; empty where none were searched.
    unguided
        The same loss with nobody telling the scheduler where to place; None where nothing has to land.

    """

    drill: Drill
    mark: Mark
    reason: str
    steps: tuple[str, ...]
    events: tuple[Event, ...]
    nodes: tuple[PlayedNode, ...]
    workloads: tuple[WorkloadReadout, ...]
    journeys: tuple[JourneyReadout, ...]
    free: Mapping[str, float]
    quorum: bool
    no_quorum_s: float
    serving_s: float
    whole_s: float
    ends_s: float
    extra_nodes: int
    spent: Mapping[str, float]
    checklist: tuple[str, ...]
    warnings: tuple[str, ...]
    searched: str = ""
    unguided: Unguided | None = None


def drill_faults(
    drill: Drill, problem: FitProblem, solution: FitSolution, book: DrillBook, path: str
) -> Iterator[Fault]:
    """Yield what keeps a drill from being played on this fit, with its place under ``path``."""
    yield from order_faults(drill, path)
    for number, step in enumerate(drill.steps):
        for field, reason, fix in KINDS[step.kind].faults(step, problem, solution, book):
            yield Fault(f"drill.{field}", f"{path}.steps[{number}].{field}", reason, fix)


def order_faults(drill: Drill, path: str) -> Iterator[Fault]:
    """Yield what is wrong with the times and the order of a drill's steps, whatever fit it is played on."""
    named = {step.name: number for number, step in enumerate(drill.steps) if step.name}
    # Every fault is told at once, so that a book is put right in one go.
    for number, step in enumerate(drill.steps):
        place = f"{path}.steps[{number}]"
        if step.at_s < 0:
            yield Fault("drill.time", f"{place}.at_s", "A time is not negative.", "State seconds, 0 or more.")
        if step.lasts_s is not None and step.lasts_s <= 0:
            yield Fault(
                "drill.time",
                f"{place}.lasts_s",
                "What is lost lasts longer than no time.",
                "State seconds above 0, or leave it out.",
            )
        if step.name and named[step.name] != number:
            yield Fault("drill.twice", f"{place}.name", f"'{step.name}' stands twice.", "Give each step its own name.")
        if step.after and step.after not in named:
            yield Fault(
                "drill.after", f"{place}.after", f"No step is named '{step.after}'.", "Name a step of this drill."
            )
        elif _waits_for_itself(drill.steps, number, named):
            yield Fault(
                "drill.cycle",
                f"{place}.after",
                "The step waits, through others, for itself.",
                "Let one of them wait for none.",
            )


def _waits_for_itself(steps: Sequence[DrillStep], number: int, named: Mapping[str, int]) -> bool:
    seen, here = {number}, number
    while steps[here].after in named:
        here = named[steps[here].after]
        # A circle that does not lead back to this step is another step's fault, and is told there.
        if here in seen:
            return here == number
        seen.add(here)
    return False


def play_book(
    problem: FitProblem,
    solution: FitSolution,
    book: DrillBook,
    *,
    seed: int = 0,
    on_drill: Callable[[int, int], bool] | None = None,
) -> list[DrillResult]:
    """Return what each drill of a book showed, in its order.

    Parameters
    ----------
    problem, solution, book
        The fit, and what is played on it.
    seed
        Two runs with the same one are the same.
    on_drill
        Is told how many drills of how many are done; returns whether to stop. What was played counts.

    Raises
    ------
    InputRefused
        With every drill that cannot be played on this fit, before any is.

    """
    # All of them before any is played: a book is played whole or not at all.
    faults = [
        fault
        for number, drill in enumerate(book.drills)
        for fault in drill_faults(drill, problem, solution, book, f"drills[{number}]")
    ]
    if faults:
        raise InputRefused(faults)
    results: list[DrillResult] = []
    for drill in book.drills:
        results.append(play_drill(problem, solution, book, drill, seed=seed))
        if on_drill is not None and on_drill(len(results), len(book.drills)):
            break
    return results


def play_drill(
    problem: FitProblem, solution: FitSolution, book: DrillBook, drill: Drill, *, seed: int = 0
) -> DrillResult:
    """Return what a drill showed; of losses that are to be searched, the worst that was found.

    The drill has to be one that can be played on the fit, see ``drill_faults``.
    """
    searched, tried = candidates(problem, solution, drill)
    results = [_played(problem, solution, book, entry, seed) for entry in tried]
    # The mark first, then what waits, then how long: what hurts most is the planner's order, and not a sum.
    worst = max(results, key=_severity)
    unguided = None
    # What comes back by itself leaves nothing to place, whoever guides the scheduler.
    if any(step.kind in LOSSES for step in drill.steps) and not any(step.lasts_s for step in drill.steps):
        allowed = Counter({entry.workload: entry.waiting for entry in worst.workloads if entry.waiting})
        unguided = play_unguided(
            problem, solution, book, lambda play: begin_steps(play, worst.drill.steps), allowed, seed=seed
        )
        worst = replace(
            worst,
            # A dictionary in place of a set: both runs say much the same, and the order of the first one is kept.
            warnings=tuple(dict.fromkeys((*worst.warnings, *unguided.warnings))),
            checklist=tuple(dict.fromkeys((*worst.checklist, *unguided.steps))),
        )
    return replace(worst, searched=searched, unguided=unguided)


def _severity(result: DrillResult) -> tuple[int, int, float, float]:
    waiting = sum(entry.waiting for entry in result.workloads)
    return (
        list(Mark).index(result.mark),
        waiting,
        max((entry.short_s for entry in result.workloads), default=0.0),
        result.whole_s,
    )


def begin_steps(play: Play, steps: Sequence[DrillStep]) -> Callable[[], list[DrillStep]]:
    """Put the steps of a drill on the clock; return what tells, at any time, which have not ended."""
    left = list(steps)

    def begin(step: DrillStep) -> None:
        def done() -> None:
            left.remove(step)
            for other in steps:
                # Its time counts from the end of the step that it waits for.
                if step.name and other.after == step.name:
                    play.engine.after(other.at_s, partial(begin, other))

        KINDS[step.kind].begin(play, step, done)

    # Those that wait for another are begun by it; the clock only knows the first ones.
    for step in steps:
        if not step.after:
            play.engine.after(step.at_s, partial(begin, step))
    return lambda: left


def _played(problem: FitProblem, solution: FitSolution, book: DrillBook, drill: Drill, seed: int) -> DrillResult:
    # A play of its own for each: nothing of one drill is left over in the next.
    play = Play(problem, solution, book, seed=seed)
    left = begin_steps(play, drill.steps)
    play.run()
    cluster, watch, now = play.cluster, play.watch, play.engine.now
    workloads, journeys = _workloads(play), _journeys(play)
    mark, reason = _judge(play, drill, workloads, journeys, left())
    return DrillResult(
        drill=drill,
        mark=mark,
        reason=reason,
        steps=tuple(KINDS[step.kind].title(step) for step in drill.steps),
        events=tuple(play.events),
        nodes=tuple(PlayedNode(node.name, *map(str, cluster.key_of(n))) for n, node in enumerate(cluster.nodes)),
        workloads=workloads,
        journeys=journeys,
        free=cluster.free_share(),
        # A cluster that was given up on purpose needs no majority any more.
        quorum=watch.has_quorum or play.retired,
        no_quorum_s=0.0 if play.retired else watch.no_quorum.until(now),
        serving_s=watch.serving_at,
        whole_s=max(play.whole_at, watch.serving_at),
        ends_s=play.events[-1].at_s if play.events else 0.0,
        extra_nodes=play.supply.ordered,
        spent=dict(play.spent),
        checklist=tuple(play.checklist),
        warnings=tuple(play.warnings),
    )


def _workloads(play: Play) -> tuple[WorkloadReadout, ...]:
    """Return what happened to every workload that anything happened to."""
    cluster, watch, now = play.cluster, play.watch, play.engine.now
    waiting = [sum(n for (k, _), n in cluster.waiting.items() if k == i) for i in range(len(cluster.workloads))]
    served = cluster.served()
    return tuple(
        WorkloadReadout(
            workload=workload.name,
            wished=int(cluster.wished[i]),
            needed=int(watch.needed[i]),
            lost=int(watch.lost[i]),
            moved=int(watch.moved[i]),
            waiting=waiting[i],
            least=int(watch.least[i]),
            serving=int(served[i]),
            short_s=watch.short[i].until(now),
            waited_s=float(watch.waited_s[i]),
        )
        for i, workload in enumerate(cluster.workloads)
        if watch.lost[i] or watch.moved[i] or waiting[i]
    )


def _journeys(play: Play) -> tuple[JourneyReadout, ...]:
    """Return how long every journey was down."""
    watch, now = play.watch, play.engine.now
    return tuple(
        JourneyReadout(
            journey.name,
            watch.journeys[journey.name].until(now) / 60,
            budget_minutes(journey.allowed),
            watch.journeys[journey.name].since is not None,
        )
        for journey in play.book.journeys
    )


def _judge(
    play: Play,
    drill: Drill,
    workloads: Sequence[WorkloadReadout],
    journeys: Sequence[JourneyReadout],
    left: Sequence[DrillStep],
) -> tuple[Mark, str]:
    """Return the mark and the first reason for it; a journey without a target is told and does not count."""
    journeys = [entry for entry in journeys if entry.allowed < budget_minutes(1.0)]
    # Generators: only the first reason is told, and what comes before is graver.
    broken = _broken(play, drill, workloads, journeys, left)
    if reason := next(broken, ""):
        return Mark.BROKEN, reason
    strained = _strained(play, drill, workloads, journeys)
    if reason := next(strained, ""):
        return Mark.STRAINED, reason
    return Mark.HELD, ""


def _broken(
    play: Play,
    drill: Drill,
    workloads: Sequence[WorkloadReadout],
    journeys: Sequence[JourneyReadout],
    left: Sequence[DrillStep],
) -> Iterator[str]:
    yield from play.drains.blocked
    if not play.watch.has_quorum and not play.retired:
        yield "The control plane has no majority, and nothing is placed any more."
    for entry in workloads:
        asked = _asked(play, drill, entry.workload)
        # As many as may be is asked: whatever serves in the end is enough.
        if asked is None:
            continue
        # Graver first: what is needed to serve at all is told before what only was asked for.
        if entry.serving < min(entry.needed, asked):
            yield f"{entry.workload}: {entry.serving} serving in the end, {entry.needed} needed."
        if entry.serving < asked:
            yield f"{entry.workload}: {counted(entry.waiting, 'replica')} without a node."
    for journey in journeys:
        if journey.down:
            yield f"{journey.journey} stays down with {_culprits(play, journey.journey)}."
        elif journey.minutes > journey.allowed:
            yield f"{journey.journey} is down {journey.minutes:.1f} min, more than the {journey.allowed:.1f} of its month."
    if left:
        yield f"It never ends: {KINDS[left[0].kind].title(left[0])}."


def _strained(
    play: Play, drill: Drill, workloads: Sequence[WorkloadReadout], journeys: Sequence[JourneyReadout]
) -> Iterator[str]:
    # What nobody asks back, as enough others stand, strains nothing while it waits.
    asked = {entry.workload: _asked(play, drill, entry.workload) for entry in workloads}
    enough = {
        entry.workload
        for entry in workloads
        if entry.least >= (asked[entry.workload] or 0) and asked[entry.workload] is not None
    }
    for name in play.watch.found_no_room:
        if name not in enough and asked.get(name) is not None:
            yield f"{name}: replicas waited for a node."
    for entry in workloads:
        if entry.waiting and entry.workload not in enough:
            yield f"{entry.workload}: {counted(entry.waiting, 'replica')} without a node; nothing is promised for them."
    if play.watch.no_quorum.total and not play.retired:
        yield f"The control plane had no majority for {play.watch.no_quorum.total / 60:.0f} min."
    for journey in journeys:
        if journey.minutes:
            yield f"{journey.journey} is down {journey.minutes:.1f} min of the {journey.allowed:.1f} of its month."


def _culprits(play: Play, name: str) -> str:
    """Return what a journey that is down needs and does not have."""
    journey = next(entry for entry in play.book.journeys if entry.name == name)
    served, needed = play.cluster.served(), play.watch.needed
    # A unit of the fit may stand for several workloads of the study; the journey names those.
    short = [play.cluster.workloads[int(i)].name for i in np.flatnonzero(served < needed)]
    down = play.watch.down | {member for unit in short for member, _ in parted_name(unit)}
    return ", ".join(block for block in blocks_of(journey.chain) if block in down)


def _asked(play: Play, drill: Drill, name: str) -> int | None:
    """Return how many replicas of a workload have to serve in the end; None: as many as may be.

    A promised drill asks what the promise says: everything where replicas land or grow elsewhere, what must be left where they stand,
    nothing where nothing is promised. Any other drill asks for what is needed.
    """
    i = play.cluster.index[name]
    if not drill.promised:
        return int(play.watch.needed[i])
    problem, workload = play.cluster.problem, play.cluster.workloads[i]
    hows = set()
    for step in drill.steps:
        if step.kind is DrillKind.ZONE:
            hows.add(problem.promise_of(workload))
        if step.kind is DrillKind.NODES:
            loss = problem.node_promise_of(workload)
            # More nodes than the promise speaks of are beyond it, and it says nothing then.
            hows.add(loss.how if loss.promised and step.count <= loss.count else Survival.NONE)
    if not hows:
        return int(play.watch.needed[i])
    # Of several losses at once the weakest promise holds for all that happens.
    if Survival.NONE in hows:
        return None
    return workload.left if Survival.STANDING in hows else int(play.cluster.wished[i])

"""Nodes are evened out: replicas move from the fullest node while a move makes the fleet more even."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from rombel.model.drill import DrillBook, DrillKind, DrillStep
from rombel.model.fit_problem import FitProblem
from rombel.model.fit_solution import FitSolution
from rombel.simulate.cluster import Cluster, Ints, NodeState
from rombel.simulate.drills._contract import Done, Fault, StepKind
from rombel.simulate.play import Play
from rombel.simulate.scheduler import passing

Floats = NDArray[np.float64]


class EvenOut(StepKind):
    """Each move is the one that evens most, so that few are needed; that none fewer would do is not proved.

    How full a node is, is the share of its room that is requested, in the resource where that is most.
    """

    kind = DrillKind.EVEN

    def title(self, step: DrillStep) -> str:
        """Return what happens."""
        return f"nodes are evened out until the fullest is at most {step.share:.0%} fuller than the emptiest".replace(
            "%", " %"
        )

    def faults(self, step: DrillStep, problem: FitProblem, solution: FitSolution, book: DrillBook) -> Iterator[Fault]:
        """Yield a share that is none."""
        if not 0 < step.share <= 1:
            yield "share", f"{step.share:g} is not a share above 0 and up to 1.", "State a share such as 0.2."

    def begin(self, play: Play, step: DrillStep, done: Done) -> None:
        """Move one replica after another, each once the one before serves."""
        moves = 0
        play.todo("Move replicas by deleting them where they stand: the cluster evens out nothing by itself.")

        def next_move() -> None:
            nonlocal moves
            found = _best(play, step.share)
            if found is None:
                play.tell(
                    "even", f"{moves} moves, the fullest node is {_apart(play.cluster):.0%} fuller than the emptiest"
                )
                if _apart(play.cluster) > step.share:
                    play.warnings.append("No single move that rules and budgets allow makes the nodes more even.")
                done()
                return
            moves += 1
            play.drains.move_one(*found)
            i = found[1]
            timing, behaviour = play.book.timing, play.book.behaviour_of(play.cluster.workloads[i].name)
            # After the replica serves: a budget that allows one at a time is asked anew for the next.
            play.engine.after(timing.place_s + behaviour.start_up_s, next_move, 3)

        next_move()


def _best(play: Play, share: float) -> tuple[int, int, int] | None:
    """Return the move (from, workload, to) that evens most; None where it is even enough or no move helps."""
    cluster = play.cluster
    if _apart(cluster) <= share:
        return None
    fullness = _fullness(cluster)
    up = [n for n, node in enumerate(cluster.nodes) if node.state is NodeState.UP]
    best, found = 1e-9, None
    for node in sorted(up, key=lambda n: (-fullness[n], n)):
        for i in np.flatnonzero(cluster.serving[node]).tolist():
            if not play.drains.may_move(i):
                continue
            # Its own place does not count against the spread of the next.
            cluster.bind(node, i, -1)
            fits = passing(cluster, i, cluster.home_of(i, node))
            cluster.bind(node, i, 1)
            here = _full_with(cluster, node, i, -1)
            for spot in np.flatnonzero(fits).tolist():
                if spot == node:
                    continue
                there = _full_with(cluster, spot, i, 1)
                gain = fullness[node] ** 2 + fullness[spot] ** 2 - here**2 - there**2
                if gain > best:
                    best, found = gain, (node, i, spot)
        if found is not None:
            return found  # From the fullest node that has a move: that is what keeps the moves few.
    return None


def _fullness(cluster: Cluster) -> Floats:
    """Return (N,) how full every node is."""
    return _full(cluster.room[cluster.offer], cluster.free)


def _full_with(cluster: Cluster, node: int, i: int, more: int) -> float:
    """Return how full a node would be with so many more replicas of a workload."""
    return float(_full(cluster.room[int(cluster.offer[node])], cluster.free[node] - more * cluster.request[i]))


def _full(room: Ints, free: Ints) -> Floats:
    # A resource that a node has none of says nothing about how full it is.
    fullest: Floats = np.where(room > 0, 1 - free / np.maximum(room, 1), 0.0).max(axis=-1)
    return fullest


def _apart(cluster: Cluster) -> float:
    """Return how much fuller the fullest node is than the emptiest."""
    own = _fullness(cluster)[[n for n, node in enumerate(cluster.nodes) if node.state is NodeState.UP]]
    return float(own.max() - own.min()) if len(own) else 0.0

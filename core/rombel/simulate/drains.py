"""Nodes that go by choice: emptied by voluntary moves inside the disruption budgets, and what holds them up."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from rombel.simulate.cluster import NodeState, counted
from rombel.simulate.scheduler import choose

if TYPE_CHECKING:
    from rombel.simulate.play import Play

Done = Callable[[], None]


@dataclass(slots=True)
class Drain:
    """A node that is being emptied; ``done`` is called once nothing is left on it."""

    node: int
    done: Done
    began: float


class Drains:
    """Empties nodes of a drill that is played.

    A replica leaves only where another node takes it and its budget allows one more to be down. What is not allowed now is asked
    again whenever a replica has begun to serve; what is still not allowed when nothing more happens is blocked, and never takes "no time".
    """

    def __init__(self, play: Play) -> None:
        self.play, self.cluster = play, play.cluster
        self.blocked: list[str] = []
        self._open: list[Drain] = []

    def begin(self, node: int, done: Done) -> None:
        """Empty a node, then ``done``; nothing new is placed on it meanwhile."""
        self.play.set_state(node, NodeState.CORDONED)
        self._open.append(Drain(node, done, self.play.engine.now))
        # After everything else of this moment, so that several drains that begin together see each other.
        self.play.engine.after(0.0, self.look, 2)

    def remove(self, node: int, words: str) -> None:
        """Let an empty node go."""
        self.play.set_state(node, NodeState.GONE)
        self.play.tell("node gone", words)

    def look(self) -> None:
        """Move what the budgets allow now, and end the drains of nodes that are empty."""
        for drain in list(self._open):
            moved = self._move_from(drain.node)
            if moved:
                self.play.tell("moved", f"{counted(moved, 'replica')} moved from {self.cluster.nodes[drain.node].name}")
            if not self.cluster.bound[drain.node].any() and drain in self._open:
                self._open.remove(drain)
                self.play.spent["replicas moving inside their budgets"] += self.play.engine.now - drain.began
                drain.done()

    def _move_from(self, node: int) -> int:
        """Return how many replicas left a node."""
        served, moved = self.cluster.served(), 0
        for i in np.flatnonzero(self.cluster.bound[node]).tolist():
            for _ in range(int(self.cluster.bound[node, i])):
                serves = int(self.cluster.serving[node, i] > 0)
                if (serves and not self._allows(i, int(served[i]))) or not self._move(node, i):
                    break
                served[i] -= serves
                moved += 1
        return moved

    def may_move(self, i: int) -> bool:
        """Return whether a budget allows a serving replica of a workload to be taken down now."""
        return self._allows(i, int(self.cluster.served()[i]))

    def move_one(self, node: int, i: int, spot: int) -> None:
        """Move a replica, which may move, to a node that passes."""
        before = int(self.cluster.serving[node, i])
        self.cluster.unbind(node, i, 1)
        self._bind(node, spot, i, before)
        names = self.cluster.nodes
        self.play.tell(
            "moved", f"1 × {self.cluster.workloads[i].name} moved from {names[node].name} to {names[spot].name}"
        )

    def _allows(self, i: int, served: int) -> bool:
        budget = self.play.book.behaviour_of(self.cluster.workloads[i].name).budget
        return budget is None or budget.allowed(int(self.cluster.wished[i]), served) > 0

    def _move(self, node: int, i: int) -> bool:
        """Move a replica to the node that the scheduler chooses; return whether there was one."""
        home = self.cluster.home_of(i, node)
        serving = int(self.cluster.serving[node, i])
        # Taken off first: its own place does not count against the spread of the next.
        self.cluster.unbind(node, i, 1)
        spot = choose(self.cluster, i, home, self.play.score, self.play.rng)
        if spot < 0:
            self.cluster.bind(node, i, 1)
            self.cluster.serving[node, i] = serving
            return False
        self._bind(node, spot, i, serving)
        return True

    def _bind(self, node: int, spot: int, i: int, served: int) -> None:
        """Start on a node a replica that was taken off another, where so many had served."""
        self.cluster.bind(spot, i, 1)
        self.play.changed(node, i, -1, int(self.cluster.serving[node, i]) - served)
        self.play.changed(spot, i, 1, 0)
        self.play.watch.moved[i] += 1
        self.play.start({spot: 1}, i, self.play.book.timing.place_s)

    def say_what_blocks(self) -> bool:
        """Give up the drains that are left when nothing more happens, with the reason of each; return whether there were any."""
        served, held = self.cluster.served(), self._open
        self._open = []
        for drain in held:
            name = self.cluster.nodes[drain.node].name
            for i in np.flatnonzero(self.cluster.bound[drain.node]).tolist():
                workload = self.cluster.workloads[i].name
                allowed = self._allows(i, int(served[i]))
                why = (
                    "finds no room on another node"
                    if allowed
                    else "has a disruption budget that allows no replica to be down"
                )
                self.blocked.append(f"{name} cannot be emptied: {workload} {why}.")
        if held:
            self.play.tell("blocked", self.blocked[-1])
        return bool(held)

"""Playing a drill: events in time over a cluster, what they lose and what is placed again.

A lost node counts as not ready after ``detect_s``; its replicas stay bound to it for their toleration and are then given up and wait.
Placing takes ``place_s``, starting the workload's own time. Nothing is placed while the control plane has no majority.
"""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from functools import partial
from random import Random

import numpy as np

from rombel.model.drill import DrillBook
from rombel.model.fit_problem import FitProblem
from rombel.model.fit_solution import FitSolution
from rombel.model.words import some
from rombel.simulate.cluster import Cluster, NodeState, counted
from rombel.simulate.drains import Drains
from rombel.simulate.engine import Engine
from rombel.simulate.landings import Landings
from rombel.simulate.scheduler import Score, choose, displaced
from rombel.simulate.supply import Supply
from rombel.simulate.watch import Watch

STANDS = (NodeState.UP, NodeState.CORDONED)


@dataclass(frozen=True, slots=True)
class Change:
    """How many more replicas of a workload are bound to a node, and how many more serve there."""

    node: int
    workload: str
    bound: int
    serving: int


@dataclass(frozen=True, slots=True)
class Event:
    """Something at a time: a kind and words, what it changed on nodes, and the nodes that stand otherwise since (number, state)."""

    at_s: float
    kind: str
    words: str
    changes: tuple[Change, ...] = ()
    nodes: tuple[tuple[int, str], ...] = ()
    waiting: int = 0


class Play:
    """A drill under way.

    Parameters
    ----------
    problem, solution, book
        The fit, and how its cluster behaves.
    guided
        Whether replicas go where the fit and its promises mean them to; what has no plan goes to the scheduler.
    score, seed
        How the scheduler chooses, and what chance draws from: the same seed plays the same.
    extra_percent
        Room that every node has beyond the fit's, to find which headroom would have sufficed.

    """

    def __init__(
        self,
        problem: FitProblem,
        solution: FitSolution,
        book: DrillBook,
        *,
        guided: bool = True,
        score: Score = Score.TIGHT,
        seed: int = 0,
        extra_percent: int = 0,
    ) -> None:
        self.cluster, self.book, self.solution = Cluster(problem, solution, extra_percent), book, solution
        self.engine, self.rng = Engine(), Random(seed)
        self.guided, self.score = guided, score
        self.watch, self.supply = Watch(self.cluster, book), Supply(self)
        self.drains, self.landings = Drains(self), Landings(self)
        self.events: list[Event] = []
        self.checklist: list[str] = []
        self.warnings: list[str] = []
        self.whole_at = 0.0
        self.retired = False
        self.control_version = 0
        """Minors that the control plane has been rolled up."""

        self.spent: dict[str, float] = defaultdict(float)
        """Seconds by what a change waits for, added up over its nodes."""

        self._delta: dict[tuple[int, int], list[int]] = defaultdict(lambda: [0, 0])
        self._states: dict[int, str] = {}
        self._since: dict[tuple[int, int], float] = {}
        self._placing = False

    def run(self) -> None:
        """Let everything happen until nothing more is to come and nothing can be done about it."""
        self.engine.run()
        while self._unlist_dark() or self.drains.say_what_blocks():
            self.engine.run()
        self.watch.note(self.engine.now)

    def todo(self, line: str) -> None:
        """Write a step of the operator's on the checklist, once."""
        if line not in self.checklist:
            self.checklist.append(line)

    # --- telling --------------------------------------------------------------------------------------------

    def changed(self, node: int, i: int, bound: int, serving: int) -> None:
        """Remember what has changed on a node for the next telling."""
        delta = self._delta[node, i]
        delta[0] += bound
        delta[1] += serving

    def set_state(self, node: int, state: NodeState) -> None:
        """Let a node stand otherwise, and remember it for the next telling."""
        self.cluster.set_state(node, state)
        self._states[node] = str(state)

    def tell(self, kind: str, words: str) -> None:
        """Write down what has changed since the last telling, and see what it does to workloads and journeys."""
        names = [w.name for w in self.cluster.workloads]
        changes = tuple(Change(n, names[i], *delta) for (n, i), delta in sorted(self._delta.items()) if any(delta))
        nodes, waiting = tuple(sorted(self._states.items())), self.cluster.waiting.total()
        self._delta.clear()
        self._states.clear()
        self.events.append(Event(self.engine.now, kind, words, changes, nodes, waiting))
        self.watch.note(self.engine.now)

    # --- what is lost and comes back ------------------------------------------------------------------------

    def lose(self, nodes: Iterable[int], words: str, *, warned: bool = False) -> None:
        """Let nodes go dark at once; their replicas are given up after detection and toleration, or at once where it was warned."""
        lost = [node for node in nodes if self.cluster.nodes[node].state in STANDS]
        waits: dict[float, list[tuple[int, int]]] = defaultdict(list)
        for node in lost:
            self.set_state(node, NodeState.DARK)
            for i in np.flatnonzero(self.cluster.bound[node]).tolist():
                self.changed(node, i, 0, -int(self.cluster.serving[node, i]))
                self.cluster.serving[node, i] = 0
                self.watch.lost[i] += int(self.cluster.bound[node, i])
                waits[0.0 if warned else self._given_up_after(i)].append((node, i))
        # Told before anything is given up: until then its replicas only do not serve.
        self.tell("lost", words)
        for seconds, pairs in sorted(waits.items()):
            self.engine.after(seconds, partial(self._give_up, pairs))

    def _given_up_after(self, i: int) -> float:
        own = self.book.behaviour_of(self.cluster.workloads[i].name).toleration_s
        return self.book.timing.detect_s + (self.book.timing.evict_s if own is None else own)

    def _give_up(self, pairs: Iterable[tuple[int, int]]) -> None:
        """Let replicas of dark nodes wait for other nodes; a node that came back in time keeps them."""
        given = 0
        for node, i in pairs:
            count = int(self.cluster.bound[node, i])
            if self.cluster.nodes[node].state is NodeState.DARK and count:
                self.take_off(node, i, count)
                given += count
        if given:
            self.tell("waiting", f"{counted(given, 'replica')} given up, waiting for a node")
            self.place_soon()

    def come_back(self, nodes: Iterable[int], words: str) -> None:
        """Let dark nodes stand again: replicas still bound to them start again; the others come back empty."""
        for node in nodes:
            if self.cluster.nodes[node].state not in STANDS:
                self.set_state(node, NodeState.UP)
                for i in np.flatnonzero(self.cluster.bound[node]).tolist():
                    self.start({node: int(self.cluster.bound[node, i])}, i)
        self.tell("back", words)
        self.place_soon()

    def take_off(self, node: int, i: int, count: int) -> None:
        """Take replicas off a node; they wait from now on."""
        before = int(self.cluster.serving[node, i])
        self.cluster.unbind(node, i, count)
        self.changed(node, i, -count, int(self.cluster.serving[node, i]) - before)
        # A zonal volume keeps its replica waiting for its own zone, wherever room is.
        home = self.cluster.home_of(i, node)
        self.cluster.wait(i, home, count)
        self._since.setdefault((i, home), self.engine.now)

    def _unlist_dark(self) -> bool:
        """Where hard spread keeps replicas waiting for a zone whose nodes are dark, delete these nodes; return whether that was so.

        A zone with a listed node is a domain of the spread, and one without replicas holds the least count at none: that a zone is dark
        does not let more replicas into the others.
        """
        dark = [
            n
            for n, node in enumerate(self.cluster.nodes)
            if node.state is NodeState.DARK and not self.cluster.bound[n].any()
        ]
        stuck = [
            self.cluster.workloads[i]
            for i, home in self.cluster.waiting
            if home < 0 and (self.cluster.workloads[i].zone_skew is not None or self.cluster.workloads[i].equal_zones)
        ]
        if not dark or not stuck or not self.watch.has_quorum:
            return False
        for node in dark:
            self.set_state(node, NodeState.GONE)
        zones = sorted({self.cluster.zones[self.cluster.zone_of(node)] for node in dark})
        names = some(sorted({workload.name for workload in stuck}))
        self.warnings.append(
            f"{names}: the hard spread over zones counts {', '.join(zones)} as an empty zone while its dark nodes are listed, and "
            "keeps replicas waiting."
        )
        self.todo(
            f"Delete the dark nodes of {', '.join(zones)} from the cluster, so that hard spread over zones no longer counts them."
        )
        self.tell("unlisted", f"the dark nodes of {', '.join(zones)} are deleted")
        self.place_soon()
        return True

    # --- who is placed --------------------------------------------------------------------------------------

    def place_soon(self) -> None:
        """Let what waits be placed once the scheduler has had its time."""
        # One round of placing for everything that asks meanwhile.
        if not self._placing:
            self._placing = True
            self.engine.after(self.book.timing.place_s, self._place, 1)

    def _place(self) -> None:
        """Place what waits: high priorities first, then large ones; ask for nodes for what finds none."""
        self._placing = False
        if not self.cluster.waiting or not self.watch.has_quorum:
            return  # Without a majority nothing is placed; the member that brings it back asks again.
        placed = 0
        for i, home in sorted(self.cluster.waiting, key=self._order):
            spots: Counter[int] = Counter()
            while self.cluster.waiting[i, home] > 0 and (node := self._spot(i, home)) >= 0:
                self.cluster.bind(node, i, 1)
                self.changed(node, i, 1, 0)
                self.cluster.wait(i, home, -1)
                spots[node] += 1
            if spots:
                placed += spots.total()
                self._waited(i, home)
                self.start(spots, i)
        self.cluster.waiting = +self.cluster.waiting
        if placed:
            self.tell("starting", f"{counted(placed, 'replica')} placed, starting")
        if self.cluster.waiting:
            self.watch.found_no_room += [self.cluster.workloads[i].name for i, _ in sorted(self.cluster.waiting)]
            self.tell("no room", f"{counted(self.cluster.waiting.total(), 'replica')} without a node")
            self.supply.ask()
        self.drains.look()

    def _order(self, waiting: tuple[int, int]) -> tuple[float, float, int, int]:
        i, home = waiting
        # Large ones first: small ones still fit into what is left, not the other way round.
        largest = float((self.cluster.request[i] / np.maximum(self.cluster.room.max(axis=0), 1)).max())
        return -self.book.behaviour_of(self.cluster.workloads[i].name).priority, -largest, i, home

    def _spot(self, i: int, home: int) -> int:
        """Return the node for one replica: the one it is meant for, the scheduler's, or one where lower priorities give way; -1: none."""
        node = self.landings.take(i, home)
        if node < 0:
            node = choose(self.cluster, i, home, self.score, self.rng, self.landings.kept())
        if node < 0 and (found := displaced(self.cluster, self.book, i, home)) is not None:
            node, gone = found
            for k, count in gone.items():
                self.take_off(node, k, count)
                self.watch.moved[k] += count
            self.place_soon()
        return node

    def _waited(self, i: int, home: int) -> None:
        since = self._since.pop((i, home), self.engine.now)
        self.watch.waited_s[i] = max(self.watch.waited_s[i], self.engine.now - since)
        if self.cluster.waiting[i, home] > 0:
            self._since[i, home] = since

    def start(self, spots: Mapping[int, int], i: int, after_s: float = 0.0) -> None:
        """Let replicas that are bound to nodes serve once they have started."""
        behaviour = self.book.behaviour_of(self.cluster.workloads[i].name)
        self.engine.after(after_s + behaviour.start_up_s, lambda: self._serve(spots, i))

    def _serve(self, spots: Mapping[int, int], i: int) -> None:
        """Let replicas that have started serve, those left out whose node was lost or which left it meanwhile."""
        total = 0
        for node, count in spots.items():
            started = min(count, int(self.cluster.bound[node, i] - self.cluster.serving[node, i]))
            if started > 0 and self.cluster.nodes[node].state in STANDS:
                self.cluster.serving[node, i] += started
                self.changed(node, i, 0, started)
                total += started
        if total:
            workload = self.cluster.workloads[i].name
            self.tell("serving", f"{total} × {workload} serving")
            self.whole_at = max(self.whole_at, self.engine.now + self.book.behaviour_of(workload).resync_s)
            self.drains.look()

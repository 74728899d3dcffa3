"""From what runs to less: steps one after another, each with what it saves, so that one may stop after any of them."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from decimal import Decimal
from itertools import zip_longest

import numpy as np
from numpy.typing import NDArray

from rombel.fit import (
    ChangeParams,
    Changing,
    Evenness,
    FitObserver,
    Progress,
    SilentObserver,
    check,
    even_weight,
    evenness,
    stand_on,
)
from rombel.model.existing import Existing, ExistingNode
from rombel.model.fit_problem import FitProblem, OfferKey, Survival
from rombel.model.fit_solution import FitSolution, FitStatus, Landing, NodeBatch

Floats = NDArray[np.float64]
MOST_STEPS = 200
NOWHERE = ""
"""The place of a replica that is started, as a source, or ended, as a target."""


@dataclass(frozen=True, slots=True)
class Move:
    """Replicas of a workload that go from one node to another; from nowhere they are started, to nowhere ended."""

    workload: str
    count: int
    source: str
    target: str


@dataclass(frozen=True, slots=True)
class Step:
    """One step; new nodes come first, then moves, then nodes go.

    Parameters
    ----------
    saving_per_hour, cost_per_hour
        What it saves, less than zero where it repairs what the plan breaks; what all nodes cost afterwards.
    new, gone, moves
        What it does.
    broken
        What an independent reading of the rules finds broken afterwards.

    """

    saving_per_hour: Decimal
    cost_per_hour: Decimal
    new: tuple[ExistingNode, ...]
    gone: tuple[ExistingNode, ...]
    moves: tuple[Move, ...]
    broken: tuple[str, ...] = ()

    @property
    def moved(self) -> int:
        """Return how many replicas leave a node for another."""
        return sum(move.count for move in self.moves if move.source and move.target)


@dataclass(frozen=True, slots=True)
class MigrationPlan:
    """The way from what runs.

    Parameters
    ----------
    cost_per_hour, broken
        Of what runs: the price of the nodes that are sold, and the rules that do not hold.
    unsold
        Names of nodes that no offer sells; what they carry is placed elsewhere.
    steps
        In order.
    unplaced
        Replicas by workload for which no step found a place.
    nodes
        What stands after the last step.
    evening
        After them, the moves that fill nodes more evenly at the same cost; None: there are none.
    evenness
        Of all nodes: before those moves, and after.

    """

    cost_per_hour: Decimal
    broken: tuple[str, ...]
    unsold: tuple[str, ...]
    steps: tuple[Step, ...]
    unplaced: Mapping[str, int]
    nodes: tuple[ExistingNode, ...]
    evening: Step | None
    evenness: tuple[Evenness, Evenness] | None


def migration_plan(
    problem: FitProblem,
    present: Existing,
    *,
    weights: Mapping[str, float] | None = None,
    seed: int = 0,
    params: ChangeParams | None = None,
    observer: FitObserver | None = None,
    on_step: Callable[[Step], None] | None = None,
) -> MigrationPlan:
    """Return the way from what runs to something cheaper that keeps every rule.

    The first steps repair: replicas that are missing, have no room to land or stand where a rule forbids it get places.
    Every further step saves more than what its moves are worth.

    Parameters
    ----------
    problem
        With every type that runs; of the others those that no other replaces are bought.
    present
        What runs.
    weights
        Of each resource in how full a node is; None: all alike, but for pods.
    seed, params
        Of the search for steps; ``params`` say what a step must save to be worth its moves.
    observer
        Is told the cost after each step; where it stops, the steps so far are returned.
    on_step
        Is called with each step as it is known.

    """
    observer = observer or SilentObserver()
    # What a loss would buy is no node to move to.
    asked = _steady(problem)
    walk = _Walk(asked, present, seed, params or ChangeParams())
    begun = walk.cost(walk.nodes)
    steps: list[Step] = []
    # The rules that are broken before the first step are told, as fixing them may be what a step is for.
    broken = _broken(asked, walk.nodes, None)
    while len(steps) < MOST_STEPS:
        # How many steps there will be is unknown: the share grows with each and never reaches its end.
        progress = Progress(f"step {len(steps) + 1}", len(steps) / (len(steps) + 8), walk.cost(walk.nodes), Decimal(0))
        if observer.on_progress(progress) or not walk.changed():
            break
        step = walk.step()
        steps.append(replace(step, broken=_broken(asked, walk.nodes, walk.landing)))
        if on_step is not None:
            on_step(steps[-1])
    evening, how_even = _evening(asked, walk, even_weight(problem, weights))
    unplaced = walk.unplaced
    return MigrationPlan(begun, broken, present.unsold, tuple(steps), unplaced, tuple(walk.nodes), evening, how_even)


def _evening(problem: FitProblem, walk: _Walk, weight: Floats) -> tuple[Step | None, tuple[Evenness, Evenness] | None]:
    """Return the moves that fill nodes more evenly, with how even they are before and after."""
    before = walk.nodes
    if not before or not weight.any():
        return None, None
    step = walk.evened(weight)
    how_even = _how_even(problem, before, weight), _how_even(problem, walk.nodes, weight)
    if not step.moves:
        return None, how_even
    return replace(step, broken=_broken(problem, walk.nodes, walk.landing)), how_even


def _how_even(problem: FitProblem, nodes: Sequence[ExistingNode], weight: Floats) -> Evenness:
    return evenness(problem, [(node.instance_type, node.replicas) for node in nodes], weight)


def _steady(problem: FitProblem) -> FitProblem:
    """Return the problem without new nodes after a loss: those are bought when it happens, and are no step."""
    workloads = tuple(
        replace(entry, survive_zone=Survival.NONE) if problem.promise_of(entry) is Survival.GROWING else entry
        for entry in problem.workloads
    )
    return replace(problem, workloads=workloads)


def _broken(
    problem: FitProblem, nodes: Sequence[ExistingNode], landing: Mapping[str, tuple[Landing, ...]] | None
) -> tuple[str, ...]:
    """Return the rules that nodes break, as the checker reads them; without a landing it looks for one itself."""
    # Costs and currency of the problem itself, so that only real rules can be broken.
    prices = _prices(problem)
    batches = tuple(NodeBatch(n.instance_type, n.purchase, n.zone, 1, n.replicas) for n in nodes)
    cost = sum((prices[node.key] for node in nodes), start=Decimal(0))
    solution = FitSolution(FitStatus.FEASIBLE, problem.currency, cost, Decimal(0), batches, landing)
    return check(problem.uncharged(), solution).violations


def _prices(problem: FitProblem) -> dict[OfferKey, Decimal]:
    return {e.key(offer): offer.price_per_hour for e in problem.instance_types for offer in e.offers}


class _Walk:
    """Nodes by their place in the search, with the names that people know them by."""

    def __init__(self, problem: FitProblem, present: Existing, seed: int, params: ChangeParams) -> None:
        self._prices = _prices(problem)
        # Full nodes first: they get the places that the search looks at first.
        ordered = sorted(present.nodes, key=lambda node: (-sum(node.replicas.values()), node.name))
        self._changing: Changing = stand_on(problem, ordered, seed=seed, params=params)
        instance = self._changing.instance
        self._offers = [entry.key(offer) for entry, offer in instance.offers]
        self._classes = [workload.name for workload in instance.workloads]
        # A slot is known by the node that stands in it, through all steps.
        self._slots: dict[int, ExistingNode] = dict(enumerate(ordered))
        self._bought = 0

    @property
    def nodes(self) -> list[ExistingNode]:
        """Return the nodes after the last step, by place."""
        return [self._slots[slot] for slot in sorted(self._slots)]

    @property
    def unplaced(self) -> dict[str, int]:
        """Return the replicas without a place, or without one to land, by workload."""
        waiting = self._changing.unplaced
        return {self._classes[i]: int(waiting[i]) for i in np.flatnonzero(waiting)}

    @property
    def landing(self) -> Mapping[str, tuple[Landing, ...]] | None:
        """Return where each zone's replicas land, in the order of the nodes."""
        return self._changing.landing

    def cost(self, nodes: Sequence[ExistingNode]) -> Decimal:
        """Return what nodes cost an hour."""
        return sum((self._prices[node.key] for node in nodes), start=Decimal(0))

    def changed(self) -> bool:
        """Make the next change; return whether there was one."""
        return self._changing.change()

    def evened(self, weight: Floats) -> Step:
        """Return the moves that fill nodes more evenly, at most one for each node."""
        self._changing.even_out(weight, len(self._slots))
        return self.step()

    def step(self) -> Step:
        """Return what has changed since the last step."""
        before, cost = dict(self._slots), self.cost(self.nodes)
        offers, loads = self._changing.state
        self._slots = {
            int(slot): self._node(int(slot), self._offers[offers[slot]], loads[slot])
            for slot in np.flatnonzero(offers >= 0)
        }
        gone = [node for slot, node in before.items() if self._name_at(slot) != node.name]
        known = {node.name for node in before.values()}
        new = [node for node in self._slots.values() if node.name not in known]
        after = self.cost(self.nodes)
        moves = tuple(_moves(list(before.values()), self.nodes))
        return Step(cost - after, after, tuple(new), tuple(gone), moves)

    def _name_at(self, slot: int) -> str:
        return self._slots[slot].name if slot in self._slots else ""

    def _node(self, slot: int, key: OfferKey, load: np.ndarray) -> ExistingNode:
        """Return the node in a slot now; where another offer stood before it is a new one."""
        replicas = {self._classes[i]: int(load[i]) for i in np.flatnonzero(load)}
        stood = self._slots.get(slot)
        # The same offer in the same slot is the same node, with other replicas.
        if stood is not None and stood.key == key:
            return replace(stood, replicas=replicas)
        self._bought += 1
        return ExistingNode(f"new-{self._bought:02d}-{key[0]}", *key, replicas)


def _moves(before: Sequence[ExistingNode], after: Sequence[ExistingNode]) -> Iterator[Move]:
    """Yield moves that turn the loads before into those after, by workload."""
    stood = {node.name: Counter(node.replicas) for node in before}
    stands = {node.name: Counter(node.replicas) for node in after}
    names = [*stands, *(name for name in stood if name not in stands)]
    for workload in sorted({w for load in (*stood.values(), *stands.values()) for w in load}):
        change = {name: stands.get(name, Counter())[workload] - stood.get(name, Counter())[workload] for name in names}
        # One entry for each replica that leaves, one for each that arrives; how they are paired does not matter, as they are alike.
        sources = [name for name, count in change.items() for _ in range(-count)]
        targets = [name for name, count in change.items() for _ in range(count)]
        pairs = Counter(zip_longest(sources, targets, fillvalue=NOWHERE))
        yield from (Move(workload, count, source, target) for (source, target), count in pairs.items())

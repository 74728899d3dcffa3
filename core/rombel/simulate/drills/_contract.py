"""What every kind of step of a drill says and does."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Callable, Iterator, Sequence
from typing import ClassVar

from rombel.model.drill import DrillBook, DrillKind, DrillStep
from rombel.model.fit_problem import FitProblem, OfferKey, Purchase
from rombel.model.fit_solution import FitSolution
from rombel.simulate.cluster import Cluster, NodeState
from rombel.simulate.play import STANDS, Play

Done = Callable[[], None]
Fault = tuple[str, str, str]
"""A field of the step, what is wrong with it, and what would fix it."""


class StepKind(ABC):
    """A kind of step: one file, one class."""

    kind: ClassVar[DrillKind]

    @abstractmethod
    def title(self, step: DrillStep) -> str:
        """Return what happens, as the start of a sentence without a full stop."""

    @abstractmethod
    def faults(self, step: DrillStep, problem: FitProblem, solution: FitSolution, book: DrillBook) -> Iterator[Fault]:
        """Yield what keeps the step from being played on this fit."""

    @abstractmethod
    def begin(self, play: Play, step: DrillStep, done: Done) -> None:
        """Let it happen; call ``done`` once it has ended. A step that is held up for good never ends."""


def zone_faults(problem: FitProblem, zone: str, *, may_be_empty: bool = False) -> Iterator[Fault]:
    """Yield that a zone is none of the fit's."""
    if zone not in problem.zones and not (may_be_empty and not zone):
        yield "zone", f"There is no zone '{zone}'.", f"Name one of {', '.join(problem.zones)}."


def pool_faults(solution: FitSolution, step: DrillStep) -> Iterator[Fault]:
    """Yield that a pool is not in the fit."""
    pools = sorted({(batch.instance_type, str(batch.purchase)) for batch in solution.nodes})
    if (step.instance_type, step.purchase) not in pools:
        names = ", ".join(f"{name} ({purchase})" for name, purchase in pools)
        yield (
            "instance_type",
            f"The fit has no pool of {step.instance_type} ({step.purchase}).",
            f"Name one of {names}.",
        )


def pool_of(cluster: Cluster, step: DrillStep) -> list[int]:
    """Return the nodes of a pool that run."""
    return [
        number
        for number, node in enumerate(cluster.nodes)
        if node.state is NodeState.UP and cluster.key_of(number)[:2] == (step.instance_type, Purchase(step.purchase))
    ]


def standing(play: Play) -> list[int]:
    """Return the nodes that stand, those that are being emptied included."""
    return [number for number, node in enumerate(play.cluster.nodes) if node.state in STANDS]


def one_by_one(tasks: Sequence[Callable[[Done], None]], done: Done, at_once: int = 1) -> None:
    """Do tasks in their order, so many at once, then ``done``; each is given what it calls at its end."""
    waiting, left = list(tasks), len(tasks)

    def ended() -> None:
        nonlocal left
        left -= 1
        if waiting:
            waiting.pop(0)(ended)
        elif left == 0:
            done()

    if not waiting:
        done()
    for _ in range(min(max(1, at_once), len(waiting))):
        waiting.pop(0)(ended)


def replace_node(play: Play, node: int, to_type: str, words: str, done: Done) -> None:
    """Let a new node join before an old one is emptied and leaves; where none may come, the old one goes first."""
    entry_name, purchase, zone = play.cluster.key_of(node)
    key = (to_type or entry_name, purchase, zone)
    name = play.cluster.nodes[node].name

    def leave(new: int | None) -> None:
        def gone() -> None:
            play.drains.remove(node, f"{name} leaves: {words}")
            if new is not None:
                done()
            elif not play.supply.open(key, lambda _: done()):
                play.drains.blocked.append(f"{name} leaves and no node takes its place: {_why_not(play, key)}.")
                done()

        play.drains.begin(node, gone)

    if not play.supply.open(key, leave):
        play.todo(
            f"No node can join before {name} leaves: {_why_not(play, key)}. Raise it for the change, or accept less room meanwhile."
        )
        leave(None)


def _why_not(play: Play, key: OfferKey) -> str:
    """Return why no node of an offer can come."""
    offer = play.cluster.offer_of.get(key)
    return play.supply.obstacle(offer) if offer is not None else f"{key[0]} is not sold in {key[2]}"

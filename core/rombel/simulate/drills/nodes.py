"""Nodes are lost: so many at once, those whose loss hurts most or the first ones."""

from __future__ import annotations

from collections.abc import Iterator

from rombel.model.drill import DrillBook, DrillKind, DrillStep
from rombel.model.fit_problem import FitProblem
from rombel.model.fit_solution import FitSolution
from rombel.simulate.drills._contract import Done, Fault, StepKind, standing
from rombel.simulate.play import Play


class LoseNodes(StepKind):
    """The nodes are named by ``chosen``, or are the first that stand."""

    kind = DrillKind.NODES

    def title(self, step: DrillStep) -> str:
        """Return what happens."""
        if step.worst:
            return (
                "the node whose loss hurts most is lost"
                if step.count == 1
                else f"the {step.count} nodes whose loss hurts most are lost"
            )
        return "a node is lost" if step.count == 1 else f"{step.count} nodes are lost"

    def faults(self, step: DrillStep, problem: FitProblem, solution: FitSolution, book: DrillBook) -> Iterator[Fault]:
        """Yield a count that is not from one to all nodes."""
        fleet = sum(batch.count for batch in solution.nodes)
        if not 1 <= step.count <= fleet:
            yield "count", f"{step.count} nodes cannot be lost of {fleet}.", f"State a count from 1 to {fleet}."
        for number in step.chosen:
            if not 0 <= number < fleet:
                yield "chosen", f"There is no node {number}.", f"Nodes are numbered from 0 to {fleet - 1}."

    def begin(self, play: Play, step: DrillStep, done: Done) -> None:
        """Lose them, let the promise for lost nodes say where their replicas land, and bring them back in time."""
        lost = list(step.chosen or standing(play)[: step.count])
        names = ", ".join(play.cluster.nodes[node].name for node in lost)
        play.lose(lost, f"{names} lost")
        play.landings.for_nodes(lost)
        play.todo(f"See why {names} went, and let the pool replace it; the plan does not count on its return.")
        if step.lasts_s is not None:
            play.engine.after(step.lasts_s, lambda: play.come_back(lost, f"{names} back"))
        done()

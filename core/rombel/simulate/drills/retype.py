"""The nodes of a pool are replaced by those of another instance type, one by one."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from rombel.model.drill import DrillBook, DrillKind, DrillStep
from rombel.model.fit_problem import FitProblem, Purchase
from rombel.model.fit_solution import FitSolution
from rombel.simulate.drills._contract import (
    Done,
    Fault,
    StepKind,
    one_by_one,
    pool_faults,
    pool_of,
    replace_node,
    standing,
)
from rombel.simulate.play import Play


class Retype(StepKind):
    """In the same zones and at the same purchase; a new node joins before an old one leaves."""

    kind = DrillKind.RETYPE

    def title(self, step: DrillStep) -> str:
        """Return what happens."""
        return f"the pool of {step.instance_type} becomes {step.to_type}"

    def faults(self, step: DrillStep, problem: FitProblem, solution: FitSolution, book: DrillBook) -> Iterator[Fault]:
        """Yield a pool that is not there, and a type that is none."""
        yield from pool_faults(solution, step)
        names = [entry.name for entry in problem.instance_types if entry.name != step.instance_type]
        if step.to_type not in names:
            yield "to_type", f"The pool cannot become '{step.to_type}'.", f"Name one of {', '.join(names)}."

    def begin(self, play: Play, step: DrillStep, done: Done) -> None:
        """Replace node after node."""

        def task(node: int) -> Callable[[Done], None]:
            return lambda ended: replace_node(play, node, step.to_type, f"{step.to_type} stands in its place", ended)

        def made() -> None:
            play.tell("pool made", f"the pool of {step.to_type} is there, still empty")
            one_by_one([task(node) for node in old], done, play.book.timing.surge)

        old, wait = pool_of(play.cluster, step), play.book.timing.new_pool_s
        if any(key[:2] == (step.to_type, Purchase(step.purchase)) for key in map(play.cluster.key_of, standing(play))):
            wait = 0.0
        play.spent["a pool being made"] += wait
        play.engine.after(wait, made)

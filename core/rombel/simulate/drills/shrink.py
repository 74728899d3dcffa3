"""A pool is shrunk while it serves: nodes are emptied and leave one after another."""

from __future__ import annotations

from collections.abc import Callable, Iterator

import numpy as np

from rombel.model.drill import DrillBook, DrillKind, DrillStep
from rombel.model.fit_problem import FitProblem
from rombel.model.fit_solution import FitSolution
from rombel.simulate.drills._contract import Done, Fault, StepKind, one_by_one, pool_faults, pool_of
from rombel.simulate.play import Play


class Shrink(StepKind):
    """The zone with most nodes of the pool gives first, and in it the node with fewest replicas."""

    kind = DrillKind.SHRINK

    def title(self, step: DrillStep) -> str:
        """Return what happens."""
        return f"the pool of {step.instance_type} is shrunk to {step.count} nodes"

    def faults(self, step: DrillStep, problem: FitProblem, solution: FitSolution, book: DrillBook) -> Iterator[Fault]:
        """Yield a pool that is not there, and a count that is not below its nodes."""
        yield from pool_faults(solution, step)
        there = sum(
            b.count for b in solution.nodes if (b.instance_type, str(b.purchase)) == (step.instance_type, step.purchase)
        )
        if there and not 0 <= step.count < there:
            yield (
                "count",
                f"A pool of {there} nodes is not shrunk to {step.count}.",
                f"State a count from 0 to {there - 1}.",
            )

    def begin(self, play: Play, step: DrillStep, done: Done) -> None:
        """Empty the nodes one by one."""
        cluster, order = play.cluster, list[int]()
        left = pool_of(cluster, step)
        while len(left) > step.count:
            zones = [cluster.zone_of(node) for node in left]
            node = min(left, key=lambda n: (-zones.count(cluster.zone_of(n)), int(cluster.bound[n].sum()), n))
            left.remove(node)
            order.append(node)

        def empty(node: int) -> Callable[[Done], None]:
            def task(ended: Done) -> None:
                name = cluster.nodes[node].name
                copied = [
                    cluster.workloads[i].name
                    for i in np.flatnonzero(cluster.bound[node]).tolist()
                    if play.book.behaviour_of(cluster.workloads[i].name).resync_s > 0
                ]

                def gone() -> None:
                    play.drains.remove(node, f"{name} is empty and leaves")
                    for workload in copied:
                        play.todo(
                            f"Wait until the copies of {workload} are whole, then let its leaders go back to their preferred replicas."
                        )
                    # Copies are short until they are made again: the next node waits for that.
                    wait = max((play.book.behaviour_of(workload).resync_s for workload in copied), default=0.0)
                    play.spent["copies being made again"] += wait
                    play.engine.after(wait, ended)

                play.drains.begin(node, gone)

            return task

        play.todo(
            f"Lower the least number of nodes of the pool of {step.instance_type} first, or autoscaling brings them back."
        )
        one_by_one([empty(node) for node in order], done)

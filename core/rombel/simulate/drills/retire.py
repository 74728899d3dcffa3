"""A whole cluster goes, in an order in which nothing is left behind that still costs or still answers."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from rombel.model.drill import DrillBook, DrillKind, DrillStep
from rombel.model.fit_problem import FitProblem
from rombel.model.fit_solution import FitSolution
from rombel.simulate.drills._contract import Done, Fault, StepKind
from rombel.simulate.play import STANDS, Play

ORDER = (
    "Send users elsewhere: names and load balancers first, and wait until nobody asks any more.",
    "Back up what is kept in volumes and in the control plane, and try one restore.",
    "Delete workloads, then the volumes and load balancers that the cluster made: nobody else removes these once it is gone.",
    "Delete node pools, then the control plane's members and their load balancer.",
    "Delete networks, addresses, keys, access rights and names last, and end reservations and commitments.",
)


class Retire(StepKind):
    """Nothing has to serve from its beginning on."""

    kind = DrillKind.RETIRE

    def title(self, step: DrillStep) -> str:
        """Return what happens."""
        return "the whole cluster is retired"

    def faults(self, step: DrillStep, problem: FitProblem, solution: FitSolution, book: DrillBook) -> Iterator[Fault]:
        """Yield nothing: every fit can be retired."""
        return iter(())

    def begin(self, play: Play, step: DrillStep, done: Done) -> None:
        """Take workloads down, then nodes, then the control plane."""
        cluster = play.cluster
        for line in ORDER:
            play.todo(line)
        play.watch.needed[:] = 0
        cluster.wished[:] = 0
        for node, i in zip(*(part.tolist() for part in np.nonzero(cluster.bound)), strict=True):
            count, serving = int(cluster.bound[node, i]), int(cluster.serving[node, i])
            cluster.unbind(node, i, count)
            play.changed(node, i, -count, -serving)
        play.tell("retired", "the workloads are deleted")
        for number, node in enumerate(cluster.nodes):
            if node.state in STANDS:
                play.drains.remove(number, f"{node.name} leaves")

        def gone() -> None:
            play.watch.members.clear()
            play.retired = True
            play.tell("retired", "the control plane is deleted")
            done()

        play.engine.after(play.book.timing.control_plane_s, gone)

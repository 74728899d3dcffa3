"""The provider takes interruptible nodes back: a share of them at once, with a warning too short to wait for."""

from __future__ import annotations

from collections.abc import Iterator

from rombel.model.drill import DrillBook, DrillKind, DrillStep
from rombel.model.fit_problem import FitProblem, Purchase
from rombel.model.fit_solution import FitSolution
from rombel.simulate.cluster import counted
from rombel.simulate.drills._contract import Done, Fault, StepKind
from rombel.simulate.play import STANDS, Play


class Interruption(StepKind):
    """Their replicas wait at once: the warning tells the cluster that the nodes go."""

    kind = DrillKind.INTERRUPTION

    def title(self, step: DrillStep) -> str:
        """Return what happens."""
        return f"{step.share:.0%} of the interruptible nodes are taken back"

    def faults(self, step: DrillStep, problem: FitProblem, solution: FitSolution, book: DrillBook) -> Iterator[Fault]:
        """Yield a share that is none, and a fit without such nodes."""
        if not 0 < step.share <= 1:
            yield "share", f"{step.share} is no share.", "State a share above 0 and up to 1."
        if not any(batch.purchase is Purchase.INTERRUPTIBLE for batch in solution.nodes):
            yield "kind", "The fit has no interruptible nodes.", "Leave the drill out."

    def begin(self, play: Play, step: DrillStep, done: Done) -> None:
        """Take them back, fullest first, and bring as many back in time."""
        risky = [
            n
            for n, node in enumerate(play.cluster.nodes)
            if node.state in STANDS and play.cluster.risky[play.cluster.offer[n]]
        ]
        # Rounded up: a share of a few nodes is at least one of them.
        count = -(-len(risky) * round(step.share * 10_000) // 10_000)
        lost = sorted(risky, key=lambda node: (-int(play.cluster.bound[node].sum()), node))[:count]
        play.lose(lost, f"{counted(count, 'interruptible node')} taken back", warned=True)
        if step.lasts_s is not None:
            play.engine.after(
                step.lasts_s, lambda: play.come_back(lost, f"{counted(count, 'interruptible node')} sold again")
            )
        done()

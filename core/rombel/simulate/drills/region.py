"""The whole region is lost: every zone at once."""

from __future__ import annotations

from collections.abc import Iterator

from rombel.model.drill import DrillBook, DrillKind, DrillStep
from rombel.model.fit_problem import FitProblem
from rombel.model.fit_solution import FitSolution
from rombel.simulate.drills._contract import Done, Fault, StepKind
from rombel.simulate.drills.zone import lose_zones
from rombel.simulate.play import Play


class LoseRegion(StepKind):
    """Nothing of the fit stands; what comes back comes back with the region."""

    kind = DrillKind.REGION

    def title(self, step: DrillStep) -> str:
        """Return what happens."""
        return "the whole region is lost"

    def faults(self, step: DrillStep, problem: FitProblem, solution: FitSolution, book: DrillBook) -> Iterator[Fault]:
        """Yield nothing: every fit stands in a region."""
        return iter(())

    def begin(self, play: Play, step: DrillStep, done: Done) -> None:
        """Lose all zones."""
        lose_zones(play, list(range(len(play.cluster.zones))), step.lasts_s)
        play.todo("Send users to another region where the same runs, and see that its limits hold for all of them.")
        minutes = play.book.timing.new_cluster_s / 60
        play.todo(f"Where it runs in no other region yet, build the cluster there: about {minutes:.0f} min.")
        play.todo("Restore what is kept in no other region from its last backup.")
        done()

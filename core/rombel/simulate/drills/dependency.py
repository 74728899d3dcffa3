"""Something outside the cluster goes down."""

from __future__ import annotations

from collections.abc import Iterator

from rombel.model.drill import DrillBook, DrillKind, DrillStep
from rombel.model.fit_problem import FitProblem
from rombel.model.fit_solution import FitSolution
from rombel.simulate.drills._contract import Done, Fault, StepKind
from rombel.simulate.play import Play


class LoseDependency(StepKind):
    """For as long as the step says, else for its usual repair."""

    kind = DrillKind.DEPENDENCY

    def title(self, step: DrillStep) -> str:
        """Return what happens."""
        return f"{step.dependency} is down"

    def faults(self, step: DrillStep, problem: FitProblem, solution: FitSolution, book: DrillBook) -> Iterator[Fault]:
        """Yield a dependency that is not there."""
        names = [entry.name for entry in book.dependencies]
        if step.dependency not in names:
            yield (
                "dependency",
                f"There is no dependency '{step.dependency}'.",
                f"Name one of {', '.join(names) or 'those of the book (it has none)'}.",
            )

    def begin(self, play: Play, step: DrillStep, done: Done) -> None:
        """Let it be down."""
        entry = next(entry for entry in play.book.dependencies if entry.name == step.dependency)
        lasts_s = entry.failure.repair_s if step.lasts_s is None else step.lasts_s
        play.watch.down.add(entry.name)
        play.tell("down", f"{entry.name} is down")
        play.todo(
            f"See what {entry.name}'s owner promises, and whether the journeys that need it can do without for {lasts_s / 60:.0f} min."
        )

        def back() -> None:
            play.watch.down.discard(entry.name)
            play.tell("back", f"{entry.name} works again")
            done()

        play.engine.after(lasts_s, back)

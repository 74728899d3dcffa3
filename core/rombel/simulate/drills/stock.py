"""A zone runs out of an instance type: what runs goes on, new nodes of the type do not come."""

from __future__ import annotations

from collections.abc import Iterator

from rombel.model.drill import DrillBook, DrillKind, DrillStep
from rombel.model.fit_problem import FitProblem
from rombel.model.fit_solution import FitSolution
from rombel.simulate.drills._contract import Done, Fault, StepKind, zone_faults
from rombel.simulate.play import Play


class OutOfStock(StepKind):
    """In one zone, or in all."""

    kind = DrillKind.STOCK

    def title(self, step: DrillStep) -> str:
        """Return what happens."""
        return f"{step.instance_type} is out of stock in {step.zone or 'every zone'}"

    def faults(self, step: DrillStep, problem: FitProblem, solution: FitSolution, book: DrillBook) -> Iterator[Fault]:
        """Yield an unknown zone or instance type."""
        yield from zone_faults(problem, step.zone, may_be_empty=True)
        names = [entry.name for entry in problem.instance_types]
        if step.instance_type not in names:
            yield (
                "instance_type",
                f"There is no instance type '{step.instance_type}'.",
                f"Name one of {', '.join(names)}.",
            )

    def begin(self, play: Play, step: DrillStep, done: Done) -> None:
        """Take it out of stock, for as long as the step says."""
        zones = [play.cluster.zones.index(step.zone)] if step.zone else range(len(play.cluster.zones))
        gone = {(step.instance_type, zone) for zone in zones}
        play.supply.out_of_stock |= gone
        play.tell("out of stock", self.title(step))

        def back() -> None:
            play.supply.out_of_stock -= gone
            play.tell("in stock", f"{step.instance_type} is in stock again")
            play.place_soon()

        if step.lasts_s is not None:
            play.engine.after(step.lasts_s, back)
        done()

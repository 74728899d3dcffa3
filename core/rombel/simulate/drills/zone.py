"""A zone is lost: its nodes, the control plane's members in it, and the dependencies that stand there alone."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial

from rombel.model.drill import DrillBook, DrillKind, DrillStep
from rombel.model.fit_problem import FitProblem
from rombel.model.fit_solution import FitSolution
from rombel.model.journey import Reach
from rombel.simulate.drills._contract import Done, Fault, StepKind, zone_faults
from rombel.simulate.drills.members import lose_members
from rombel.simulate.play import Play


class LoseZone(StepKind):
    """What the fit promises for this loss is followed: landings, and nodes that grow."""

    kind = DrillKind.ZONE

    def title(self, step: DrillStep) -> str:
        """Return what happens."""
        return f"zone {step.zone} is lost"

    def faults(self, step: DrillStep, problem: FitProblem, solution: FitSolution, book: DrillBook) -> Iterator[Fault]:
        """Yield a zone that is not there."""
        yield from zone_faults(problem, step.zone)

    def begin(self, play: Play, step: DrillStep, done: Done) -> None:
        """Lose the zone, and bring it back in time."""
        lose_zones(play, [play.cluster.zones.index(step.zone)], step.lasts_s)
        play.todo(f"Take {step.zone} out of the load balancers' targets until it is back.")
        done()


def lose_zones(play: Play, zones: list[int], lasts_s: float | None) -> None:
    """Lose zones at once."""
    names = [play.cluster.zones[zone] for zone in zones]
    nodes = [node for zone in zones for node in play.cluster.nodes_in(zone)]
    play.supply.dark_zones |= set(zones)
    down = {
        entry.name
        for entry in play.book.dependencies
        if (entry.reach is Reach.ZONAL and entry.zone_in(play.cluster.zones) in names)
        # Spread and regional ones go when no zone is left.
        or (entry.reach in (Reach.SPREAD, Reach.REGIONAL) and len(play.supply.dark_zones) == len(play.cluster.zones))
    }
    play.watch.down |= down
    for name in names:
        lose_members(play, name, play.watch.members[name], replaced=False)
    play.lose(nodes, f"{', '.join(names)} lost")
    for zone in zones:
        play.landings.for_zone(zone)
        # New nodes are ordered once the loss has been seen.
        play.engine.after(play.book.timing.detect_s, partial(play.supply.grow_as_planned, zone))

    def back() -> None:
        play.supply.dark_zones -= set(zones)
        play.watch.down -= down
        for name in names:
            play.watch.members[name] = play.book.members.get(name, 0)
        play.come_back(nodes, f"{', '.join(names)} back")

    if lasts_s is not None:
        play.engine.after(lasts_s, back)

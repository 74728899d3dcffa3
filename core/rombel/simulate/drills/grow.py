"""A pool grows to so many nodes, the zones with fewest of it first."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator

from rombel.model.drill import DrillBook, DrillKind, DrillStep
from rombel.model.fit_problem import FitProblem, Purchase
from rombel.model.fit_solution import FitSolution
from rombel.simulate.drills._contract import Done, Fault, StepKind, pool_faults, pool_of
from rombel.simulate.play import Play


class Grow(StepKind):
    """Nodes that stock or a quota keeps away are told."""

    kind = DrillKind.GROW

    def title(self, step: DrillStep) -> str:
        """Return what happens."""
        return f"the pool of {step.instance_type} grows to {step.count} nodes"

    def faults(self, step: DrillStep, problem: FitProblem, solution: FitSolution, book: DrillBook) -> Iterator[Fault]:
        """Yield a pool that is not there, and a count that is not above its nodes."""
        yield from pool_faults(solution, step)
        there = sum(
            b.count for b in solution.nodes if (b.instance_type, str(b.purchase)) == (step.instance_type, step.purchase)
        )
        if there and step.count <= there:
            yield "count", f"A pool of {there} nodes does not grow to {step.count}.", f"State a count above {there}."

    def begin(self, play: Play, step: DrillStep, done: Done) -> None:
        """Order the nodes at once."""
        purchase = Purchase(step.purchase)
        standing = pool_of(play.cluster, step)
        per_zone = Counter(
            {
                offer.zone: 0
                for entry in play.cluster.problem.instance_types
                if entry.name == step.instance_type
                for offer in entry.offers
            }
        )
        per_zone.update(play.cluster.zones[play.cluster.zone_of(node)] for node in standing)
        left = step.count - len(standing)
        coming = 0

        def up(_: int) -> None:
            nonlocal coming
            coming -= 1
            if coming == 0:
                done()

        for _ in range(left):
            for zone in sorted(per_zone, key=lambda name: (per_zone[name], name)):
                if play.supply.open((step.instance_type, purchase, zone), up):
                    per_zone[zone] += 1
                    coming += 1
                    break
            else:
                reasons = [
                    play.supply.obstacle(play.cluster.offer_of[key])
                    for zone in per_zone
                    if (key := (step.instance_type, purchase, zone)) in play.cluster.offer_of
                ]
                play.drains.blocked.append(
                    f"The pool does not grow to {step.count} nodes: {reasons[0] if reasons else 'it is not sold'}."
                )
                break

"""A minor version is rolled: the control plane first and member by member, then the nodes, a new one joining before an old one leaves."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from rombel.model.drill import DrillBook, DrillKind, DrillStep
from rombel.model.fit_problem import FitProblem
from rombel.model.fit_solution import FitSolution
from rombel.simulate.cluster import NodeState
from rombel.simulate.drills._contract import Done, Fault, StepKind, one_by_one, replace_node
from rombel.simulate.play import Play

MOST_BEHIND = 3
"""Minors that a node may be older than its control plane (the published version skew policy, from memory)."""


class RollVersion(StepKind):
    """One minor at a time: a control plane skips none, and nodes are never ahead of it (the published version skew policy, from memory)."""

    kind = DrillKind.VERSION

    def title(self, step: DrillStep) -> str:
        """Return what happens."""
        return "the control plane rolls one minor version" if step.control_plane_only else "one minor version is rolled"

    def faults(self, step: DrillStep, problem: FitProblem, solution: FitSolution, book: DrillBook) -> Iterator[Fault]:
        """Yield a step that is not one minor."""
        if step.minors != 1:
            yield (
                "minors",
                f"A control plane does not go {step.minors} minor versions at once.",
                "State 1, and a step for each minor, one after the other.",
            )

    def begin(self, play: Play, step: DrillStep, done: Done) -> None:
        """Roll the members, then the nodes."""
        if behind := self._left_behind(play):
            play.drains.blocked.append(
                f"The control plane cannot go further: {behind} would be {MOST_BEHIND + 1} minor versions behind. Roll the nodes first."
            )
            done()
            return
        play.todo(
            "Before the roll: see that nothing uses an interface that the next version removes, and back the control plane up."
        )
        members = sorted(zone for zone, count in play.book.members.items() for _ in range(count))
        if members:
            play.todo(
                "Roll the control plane's members one by one, each back in the load balancer before the next goes."
            )

        def rolled() -> None:
            play.tell("rolled", "every node runs the control plane's version")
            done()

        def nodes() -> None:
            play.control_version += 1
            play.tell("control plane rolled", "the control plane runs the next minor version")
            if step.control_plane_only:
                done()
            else:
                # Listed only now: a node that joined meanwhile has the new version already or is rolled with the others.
                old = [
                    n for n, node in enumerate(play.cluster.nodes) if node.state is NodeState.UP and _is_old(play, n)
                ]
                one_by_one([self._task(play, node) for node in old], rolled, play.book.timing.surge)

        one_by_one([self._member(play, zone) for zone in members], nodes)

    def _left_behind(self, play: Play) -> str:
        """Return a node that one more minor of the control plane would leave too far behind; empty: there is none."""
        nodes = (node for node in play.cluster.nodes if node.state is not NodeState.GONE)
        return next((node.name for node in nodes if play.control_version + 1 - node.version > MOST_BEHIND), "")

    def _task(self, play: Play, node: int) -> Callable[[Done], None]:
        return lambda ended: replace_node(play, node, "", "its version is left behind", ended)

    def _member(self, play: Play, zone: str) -> Callable[[Done], None]:
        def task(ended: Done) -> None:
            play.watch.members[zone] -= 1
            play.tell("member leaves", f"a control-plane member in {zone} goes for its next version")
            if not play.watch.has_quorum:
                play.warnings.append(
                    "The control plane does not answer while its member is replaced: too few members for a roll without a break."
                )

            def back() -> None:
                play.watch.members[zone] += 1
                play.tell("member joined", f"a control-plane member in {zone} runs the next version")
                play.place_soon()
                ended()

            play.spent["control-plane members rolling"] += play.book.timing.control_plane_s
            play.engine.after(play.book.timing.control_plane_s, back)

        return task


def _is_old(play: Play, node: int) -> bool:
    return play.cluster.nodes[node].version < play.control_version

"""Members of the control plane are lost; without a majority nothing is placed any more, and what runs goes on."""

from __future__ import annotations

from collections.abc import Iterator

from rombel.model.drill import DrillBook, DrillKind, DrillStep
from rombel.model.fit_problem import FitProblem
from rombel.model.fit_solution import FitSolution
from rombel.simulate.cluster import counted
from rombel.simulate.drills._contract import Done, Fault, StepKind, zone_faults
from rombel.simulate.play import Play


class LoseMembers(StepKind):
    """Those of a zone, or of the zones with most of them."""

    kind = DrillKind.MEMBERS

    def title(self, step: DrillStep) -> str:
        """Return what happens."""
        where = f" in {step.zone}" if step.zone else ""
        what = "a control-plane member is" if step.count == 1 else f"{step.count} control-plane members are"
        return f"{what} lost{where}"

    def faults(self, step: DrillStep, problem: FitProblem, solution: FitSolution, book: DrillBook) -> Iterator[Fault]:
        """Yield an unknown zone, and more members than there are."""
        yield from zone_faults(problem, step.zone, may_be_empty=True)
        there = book.members.get(step.zone, 0) if step.zone else sum(book.members.values())
        if not 1 <= step.count <= there:
            yield (
                "count",
                f"{step.count} members cannot be lost of {there}.",
                "State the members under 'members', or fewer here.",
            )

    def begin(self, play: Play, step: DrillStep, done: Done) -> None:
        """Lose them; while a majority is left they are replaced one after another."""
        for _ in range(step.count):
            zone = step.zone or max(sorted(play.watch.members), key=lambda name: play.watch.members[name])
            lose_members(play, zone, 1, replaced=True)
        done()


def lose_members(play: Play, zone: str, count: int, *, replaced: bool) -> None:
    """Lose members in a zone; each is replaced where a majority is left to admit it."""
    if count == 0:
        return
    play.watch.members[zone] -= count
    play.tell("member lost", f"{counted(count, 'control-plane member')} lost in {zone}")
    play.todo(
        f"Remove the lost member in {zone} from the member list before a new one joins: a list too long needs a larger majority."
    )
    if not play.watch.has_quorum:
        play.todo("Restore the control plane from its last backup: without a majority no member can be admitted.")
        return
    # A leader's loss costs an election, about a second (common practice, no source): shorter than what is looked at here.

    def joined() -> None:
        if not play.watch.has_quorum:
            return  # The majority went meanwhile, and with it whoever could have admitted it.
        play.watch.members[zone] += count
        play.tell("member joined", f"{counted(count, 'control-plane member')} joined in {zone}")
        play.place_soon()

    if replaced:
        play.engine.after(play.book.timing.control_plane_s, joined)
        play.todo(
            f"Put the new member in {zone} into the control plane's load balancer, and its address into the firewalls; nobody else does."
        )

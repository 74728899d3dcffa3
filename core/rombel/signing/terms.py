"""On which terms a plan is signed: nothing that would fail, nothing risky without a reason, no drill that breaks it."""

from __future__ import annotations

from collections.abc import Iterator
from decimal import Decimal

from rombel.errors import Fault
from rombel.model.drill import Mark
from rombel.preflight import Grade
from rombel.signing.seen import SeenPlan


def hurdles(seen: SeenPlan) -> list[Fault]:
    """Return everything that keeps a plan from being signed, and what would fix each."""
    return [*_findings(seen), *_drills(seen)]


def _findings(seen: SeenPlan) -> Iterator[Fault]:
    for each in seen.findings:
        if each.grade is Grade.STOP:
            yield Fault("sign.stop", "findings", f"It would fail: {each.text}.", each.fix)
        elif each.grade is Grade.CARE and not each.accepted:
            fix = f"{each.fix} Or accept it under Pre-flight, with a reason."
            yield Fault("sign.care", "findings", f"It is risky: {each.text}.", fix.strip())


def _drills(seen: SeenPlan) -> Iterator[Fault]:
    if seen.drills is None:
        # What was not played broke nothing, and held nothing either.
        reason = "Not all drills were played on this plan."
        yield Fault("sign.drills", "drills", reason, "Play the drill book under Drills.")
    for drill in seen.drills or ():
        if drill.mark is Mark.BROKEN:
            fix = "Open it under Drills: it says which demand was lost, and for how long."
            yield Fault("sign.drill", "drills", f"The drill '{drill.name}' breaks the plan.", fix)


def signatures_needed(cost: Decimal, above: Decimal | None) -> int:
    """Return how many leads sign a plan of a cost a month: one, and a second one above the house's amount (None: never).

    That more than one person decides above an amount is common practice, no source.
    """
    return 2 if above is not None and cost > above else 1

"""Accept a finding of pre-flight with a reason, or take that back."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, ClassVar

from accounts.action import Missing, NotAllowed
from accounts.models import Role, User
from house.models import RuleSet, present_rules
from rombel.errors import refuse
from rombel.preflight import Grade
from runs.findings import Occasion, findings
from runs.queries import latest_fit
from studies.actions.of_study import OfVariant
from studies.models import AcceptedFinding


def may_accept(person: User, grade: Grade, rules: RuleSet) -> bool:
    """Return whether a person may accept a finding of a grade: never a stop, a care where the house rules say so."""
    if grade is Grade.STOP or person.role not in AcceptFinding.roles:
        return False
    return grade is Grade.NOTE or person.role in (Role.LEAD, rules.care_accepted_by)


@dataclass
class AcceptFinding(OfVariant[None]):
    """Keep that a care or a note is accepted, who said so and why; a stop is fixed and never accepted."""

    code: str
    text: str
    why: str
    name: ClassVar[str] = "finding.accept"

    def execute(self) -> None:
        """Keep it; ``Missing`` where nothing of the kind is found now."""
        found = findings(Occasion(self.variant, latest_fit(self.variant)))
        known = next((each for each in found if (each.code, each.text) == (self.code, self.text)), None)
        if known is None:
            raise Missing("Nothing of the kind is found any more.")
        if known.grade is Grade.STOP:
            raise refuse("finding.stop", "code", "What would fail is not accepted.", known.fix)
        if not may_accept(self.actor, known.grade, present_rules()):
            raise NotAllowed("By the house rules a lead accepts what is risky.")
        if not self.why.strip():
            raise refuse(
                "finding.why", "why", "No reason is said.", "Say why it is accepted; it is kept with your name."
            )
        said = {"why": self.why.strip()[:400], "accepted_by": self.actor}
        AcceptedFinding.objects.update_or_create(
            variant=self.variant, code=self.code, text=self.text[:1000], defaults=said
        )

    def detail(self) -> dict[str, Any]:
        """Return what was accepted, and why."""
        return {"code": self.code, "text": self.text, "why": self.why}


@dataclass
class ReopenFinding(OfVariant[None]):
    """Take an acceptance back."""

    code: str
    text: str
    name: ClassVar[str] = "finding.reopen"

    def execute(self) -> None:
        """Drop it; ``Missing`` where it was not accepted."""
        gone, _ = self.variant.accepted_findings.filter(code=self.code, text=self.text[:1000]).delete()
        if not gone:
            raise Missing("It was not accepted.")

    def detail(self) -> dict[str, Any]:
        """Return what is open again."""
        return {"code": self.code, "text": self.text}

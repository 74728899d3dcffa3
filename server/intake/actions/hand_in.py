"""A service owner hands in a request for capacity."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, ClassVar

from accounts.action import Action
from accounts.models import Role
from inbox.models import tell, with_role
from intake.forms import outlook_of, read_form, stored_form, with_owner
from intake.models import Intake, IntakeStatus, IntakeStep
from studies.models import Study


@dataclass
class HandIn(Action[Intake]):
    """Keep the form with the outlook that its owner saw; a form with faults is refused whole."""

    study: Study
    typed: dict[str, str]
    note: str = ""
    name: ClassVar[str] = "intake.hand-in"
    roles: ClassVar[tuple[Role, ...]] = (Role.OWNER, Role.PLANNER, Role.LEAD)

    def execute(self) -> Intake:
        """Return the pending request."""
        form = read_form(with_owner(self.typed, self.actor))
        outlook = outlook_of(form, self.study)
        self.made = Intake.objects.create(
            asked_by=self.actor,
            form=stored_form(form),
            note=self.note.strip()[:1000],
            outlook=outlook.stored(self.study.currency),
            study=self.study,
        )
        IntakeStep.objects.create(intake=self.made, actor=self.actor, status=IntakeStatus.PENDING, words=self.made.note)
        tell(
            with_role(Role.PLANNER, Role.LEAD), self.actor, f"asks for capacity for {self.made.form['name']}", "/intake"
        )
        return self.made

    def subject(self) -> str:
        """Return the request."""
        return f"intake:{self.made.pk}"

    def detail(self) -> dict[str, Any]:
        """Return the form as typed."""
        return self.typed

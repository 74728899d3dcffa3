"""Take a request into its study, answer it with a reason, or withdraw it."""

from __future__ import annotations

import uuid
from dataclasses import dataclass
from typing import Any, ClassVar

from django.utils import timezone

from accounts.action import Action, Missing, NotAllowed
from accounts.models import Role
from house.models import present_rules, rules_of
from inbox.models import tell
from intake.forms import form_of, open_faults
from intake.models import Intake, IntakeStatus, IntakeStep
from rombel.errors import InputRefused, refuse
from rombel.model.intake import row_of_form
from rombel.model.levels import sheet_faults
from studies.actions.of_study import held
from studies.adapt import demand_rows, fields_of
from studies.edits import Change, record
from studies.models import StudyRole
from studies.sharing import demand_role


@dataclass
class DecideIntake(Action[Intake]):
    """Move a pending request on: ``taken`` adds its row to the study as one edit, ``declined`` needs words."""

    intake: Intake
    status: IntakeStatus
    words: str = ""
    name: ClassVar[str] = "intake.decide"
    roles: ClassVar[tuple[Role, ...]] = (Role.OWNER, Role.PLANNER, Role.LEAD)

    def execute(self) -> Intake:
        """Return the request as it then stands."""
        self._may()
        # Of two who answer at once the second is told what the first one said.
        locked = Intake.objects.select_for_update().get(pk=self.intake.pk)
        if locked.status != IntakeStatus.PENDING:
            raise refuse("intake.done", "", f"This request is {locked.status} already.", "Hand in another one.")
        if self.status is IntakeStatus.DECLINED and not self.words.strip():
            raise refuse("intake.words", "words", "An answer needs its reason.", "Say why, and what would help.")
        if self.status is IntakeStatus.TAKEN:
            self._take(locked)
        locked.status, locked.answer = self.status, self.words.strip()[:1000]
        locked.decided_by, locked.decided_at = self.actor, timezone.now()
        locked.save()
        IntakeStep.objects.create(intake=locked, actor=self.actor, status=self.status, words=locked.answer)
        answer = f"has {self.status} your request for {locked.form['name']}" + (
            f": {locked.answer}" if locked.answer else ""
        )
        tell([locked.asked_by], self.actor, answer, "/intake")
        return locked

    def _may(self) -> None:
        """Refuse what a role may not do: owners withdraw their own, planners and leads take and answer."""
        withdraws = self.status is IntakeStatus.WITHDRAWN
        if withdraws and self.intake.asked_by_id != self.actor.pk:
            raise NotAllowed("Only who handed a request in may withdraw it.")
        if not withdraws and self.actor.role not in (Role.PLANNER, Role.LEAD):
            raise NotAllowed(f"A {self.actor.role} may not do this.")

    def _take(self, intake: Intake) -> None:
        study = intake.study
        if study is None:
            raise Missing("The study of this request is gone.")
        demand_role(study, self.actor, StudyRole.EDITOR)
        row, _ = row_of_form(form_of(intake.form), rules_of(present_rules()))
        study = held(study.pk)
        # The sheet may have got a row of that name since the request was handed in.
        faults = [*open_faults(row, study), *sheet_faults([*demand_rows(study), row], study.growth_percent)]
        if faults:
            raise InputRefused(faults)
        position = study.workloads.count() + 1
        # An edit like any other, so that undo takes it back; the request stays answered.
        change = Change(kind="workload", key=str(uuid.uuid4()), before=None, after=fields_of(row, position))
        record(study, self.actor, f"intake: {row.full_name} taken", [change])

    def subject(self) -> str:
        """Return the request."""
        return f"intake:{self.intake.pk}"

    def detail(self) -> dict[str, Any]:
        """Return the decision and its words."""
        return {"status": str(self.status), "words": self.words}

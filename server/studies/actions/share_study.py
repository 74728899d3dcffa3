"""Say who may do what with a study."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, ClassVar

from accounts.models import Role, User
from inbox.models import tell
from rombel.errors import refuse
from studies.actions.of_study import OfStudy
from studies.models import Others, StudyRole
from studies.sharing import owners_of


@dataclass
class ShareStudy(OfStudy[None]):
    """Name a person in a study, or say what all others may; what is left out stays.

    Parameters
    ----------
    others
        What people who are not named may do.
    username, role
        Whom to name, and what as; the role None takes a name away.

    """

    others: str | None = None
    username: str | None = None
    role: str | None = None
    name: ClassVar[str] = "study.share"
    needs: ClassVar[StudyRole] = StudyRole.OWNER

    def execute(self) -> None:
        """Say it, or refuse it: a study keeps an owner."""
        if self.others is not None:
            self.study.others = Others(self.others)
            self.study.save(update_fields=["others"])
        if self.username is None:
            return
        person = User.objects.filter(username=self.username, is_active=True).first()
        if person is None:
            fix = "Choose one of those listed."
            raise refuse("study.person", "username", f"There is no person '{self.username[:80]}'.", fix)
        if person.role == Role.OWNER and self.role is not None:
            reason = f"{person.shown_name} is a service owner in this house, and sees requests for capacity alone."
            raise refuse("study.person", "username", reason, "Let a lead give them another role first.")
        self._name(person)

    def _name(self, person: User) -> None:
        before = self.study.shares.filter(person=person).first()
        if self.role is None:
            self.study.shares.filter(person=person).delete()
        else:
            self.study.shares.update_or_create(person=person, defaults={"role": StudyRole(self.role)})
        # Leads could still look after it, but nobody would know whose it is.
        if not owners_of(self.study):
            raise refuse("study.owner", "role", "The study would have no owner.", "Name another owner first.")
        if self.role is not None and (before is None or before.role != self.role):
            words = f"named you {self.role} of the study {self.study.name}"
            tell([person], self.actor, words, f"/studies/{self.study.pk}/variants")

    def detail(self) -> dict[str, Any]:
        """Return what was said."""
        said = {"others": self.others} if self.others is not None else {}
        return said | ({"person": self.username, "role": self.role} if self.username is not None else {})

"""The shape of actions that change a study or a variant: one after the other, each on what the last one left."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar, TypeVar

from accounts.action import Action, Missing
from accounts.models import User
from studies.models import Edit, Study, StudyRole, Variant
from studies.queries import variant_by_id
from studies.sharing import demand_role

T = TypeVar("T")


def held(study_id: int) -> Study:
    """Return the study, held until the end of the transaction; ``Missing`` when it is gone.

    Every change of a study and of what belongs to it holds the study's row, so two changes never start from one state.
    """
    # One lock for a study and all of its variants: edits follow each other.
    study = Study.objects.select_for_update().filter(pk=study_id).first()
    if study is None:
        raise Missing(f"There is no study {study_id}.")
    return study


class InStudy:
    """Beside an action: what the person has to be in the study that it is about; ``needs`` says what."""

    actor: User
    study: Study
    needs: ClassVar[StudyRole] = StudyRole.EDITOR

    def permit(self) -> None:
        """Go on only where the person may do so much with the study."""
        demand_role(self.concerned(), self.actor, self.needs)

    def concerned(self) -> Study:
        """Return the study."""
        return self.study


@dataclass
class OfStudy(InStudy, Action[T]):
    """An action on a study."""

    study: Study

    def lock(self) -> None:
        """Hold the study and read it anew."""
        self.study = held(self.study.pk)

    def subject(self) -> str:
        """Return the study."""
        return f"study:{self.study.pk}"


@dataclass
class OfVariant(InStudy, Action[T]):
    """An action on a variant of a study."""

    variant: Variant

    def concerned(self) -> Study:
        """Return the variant's study."""
        return self.variant.study

    def lock(self) -> None:
        """Hold the study and read the variant anew."""
        held(self.variant.study_id)
        self.variant = variant_by_id(self.variant.pk)

    def subject(self) -> str:
        """Return the variant."""
        return f"variant:{self.variant.pk}"


class Recording:
    """Remembers the edit that an action recorded; an action that recorded none leaves no trail."""

    recorded: Edit | None = None

    def changed_anything(self) -> bool:
        """Return whether an edit was recorded."""
        return self.recorded is not None

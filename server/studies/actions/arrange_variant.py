"""What a variant is called, what is noted of it, where it stands among the others, which one is the reference; and taking one out."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, ClassVar

from django.utils import timezone

from jobs.asking import stop
from jobs.models import Job
from rombel.errors import Fault, InputRefused, refuse
from studies.actions.of_study import OfVariant, Recording
from studies.edits import Change, record
from studies.models import Variant


def arranged(variant: Variant, before: dict[str, Any], after: dict[str, Any]) -> Change:
    """Return a change of fields of a variant that are no choices."""
    return Change(kind="variant", key=str(variant.pk), before=before, after=after)


@dataclass
class ArrangeVariant(Recording, OfVariant[None]):
    """Set name, note or place of a variant, or make it the reference, as one edit.

    Parameters
    ----------
    fields
        ``name``, ``note``, ``place`` (0 is the first), ``is_reference`` (true alone: another one takes it over).

    """

    fields: dict[str, Any]
    name: ClassVar[str] = "variant.arrange"

    def execute(self) -> None:
        """Apply them, or refuse them with every fault."""
        variant, faults = self.variant, list[Fault]()
        others = list(variant.study.variants.exclude(pk=variant.pk))
        texts = ("name", "note")
        after: dict[str, Any] = {key: self.fields[key].strip() for key in texts if key in self.fields}
        if after.get("name", "x") == "":
            faults.append(Fault("variant.name", "name", "The variant has no name.", "Type a name."))
        if after.get("name") in {other.name for other in others}:
            reason = f"There is already a variant '{after['name']}'."
            faults.append(Fault("variant.twice", "name", reason, "Choose another name."))
        if self.fields.get("is_reference") is False and variant.is_reference:
            reason = "A study has a reference, which the other variants are compared with."
            faults.append(Fault("variant.reference", "is_reference", reason, "Make another one the reference."))
        if faults:
            raise InputRefused(faults)
        changes = [arranged(variant, {key: getattr(variant, key) for key in after}, after)]
        if self.fields.get("is_reference") and not variant.is_reference:
            # The old one gives way first: there are never two.
            changes += [
                arranged(other, {"is_reference": True}, {"is_reference": False})
                for other in others
                if other.is_reference
            ]
            changes.append(arranged(variant, {"is_reference": False}, {"is_reference": True}))
        if "place" in self.fields:
            order = [*others[: self.fields["place"]], variant, *others[self.fields["place"] :]]
            changes += [
                arranged(row, {"position": row.position}, {"position": place})
                for place, row in enumerate(order)
                if row.position != place
            ]
        words = ", ".join(sorted(key.replace("is_", "") for key in self.fields))
        self.recorded = record(variant.study, self.actor, f"{variant.name}: {words}", changes)

    def detail(self) -> dict[str, Any]:
        """Return the fields set."""
        return self.fields


@dataclass
class RemoveVariant(Recording, OfVariant[None]):
    """Take a variant out of its study, as an edit that brings it back with its fits when it is undone; the reference stays."""

    name: ClassVar[str] = "variant.remove"

    def execute(self) -> None:
        """Take it out, or refuse where it is the reference."""
        if self.variant.is_reference:
            reason = "The reference is what the other variants are compared with."
            raise refuse("variant.reference", "", reason, "Make another variant the reference first.")
        stop(Job.objects.filter(run__variant=self.variant))
        stop(Job.objects.filter(inquiry__variant=self.variant))
        gone = arranged(self.variant, {"removed_at": None}, {"removed_at": timezone.now().isoformat()})
        self.recorded = record(self.variant.study, self.actor, f"{self.variant.name}: taken out", [gone])

    def subject(self) -> str:
        """Return the study."""
        return f"study:{self.variant.study_id}"

    def detail(self) -> dict[str, Any]:
        """Return which one."""
        return {"variant": self.variant.name}

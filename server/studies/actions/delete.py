"""Delete a study, or a variant of one; whoever does types its name."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, ClassVar

from rombel.errors import refuse
from studies.actions.of_study import OfStudy, OfVariant


def _require_name(code: str, typed: str, name: str) -> None:
    """Refuse where what was typed is not the name."""
    if typed.strip() != name:
        raise refuse(code, "name", "That is not its name.", f"Type '{name}' to delete it.")


@dataclass
class DeleteStudy(OfStudy[None]):
    """Delete a study with all that is its own; requests for capacity stay, and say that it is gone."""

    typed: str
    name: ClassVar[str] = "study.delete"

    def execute(self) -> None:
        """Delete it, or refuse where the name was not typed."""
        self.key = self.study.pk
        _require_name("study.name", self.typed, self.study.name)
        # Rows first: with them the study's own constraints have nothing left to check.
        self.study.workloads.all().delete()
        self.study.delete()

    def subject(self) -> str:
        """Return the study."""
        return f"study:{self.key}"

    def detail(self) -> dict[str, Any]:
        """Return its name."""
        return {"name": self.typed.strip()}


@dataclass
class DeleteVariant(OfVariant[None]):
    """Delete a variant with its fits; the reference stays."""

    typed: str
    name: ClassVar[str] = "variant.delete"

    def execute(self) -> None:
        """Delete it, or refuse where it is the reference or its name was not typed."""
        self.key, self.of = self.variant.pk, self.variant.study_id
        if self.variant.is_reference:
            reason = "The reference is what the other variants are compared with."
            raise refuse("variant.reference", "", reason, "Delete the study, or another variant.")
        _require_name("variant.name", self.typed, self.variant.name)
        self.variant.delete()

    def subject(self) -> str:
        """Return the study."""
        return f"study:{self.of}"

    def detail(self) -> dict[str, Any]:
        """Return which variant it was."""
        return {"variant": self.typed.strip()}

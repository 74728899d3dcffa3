"""Bring to one variant what was changed in another."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, ClassVar

from rombel.errors import refuse
from studies import build
from studies.actions.change_variant import ChangeVariant
from studies.addresses import stated_addresses
from studies.beside import replacing
from studies.edits import variant_fields
from studies.models import Variant
from studies.queries import variant_by_id


def base_of(variant: Variant) -> Variant | None:
    """Return what a variant's change is told against: what it was copied from, else the study's reference; None: it is that itself."""
    origin = variant.study.variants.filter(pk=variant.came_from_id or 0).first()
    base = origin or variant.study.variants.filter(is_reference=True).first()
    return None if base is None or base.pk == variant.pk else base


def change_of(variant: Variant) -> dict[str, Any]:
    """Return the choices of a variant that differ from those it is told against, with the values they have in it."""
    base = base_of(variant)
    if base is None:
        return {}
    before, after = variant_fields(base), variant_fields(variant)
    return {name: value for name, value in after.items() if value != before[name]}


def _whole(name: str, value: Any, before: Mapping[str, Any]) -> Any:
    """Return a choice with all of its parts, so that what the source does not state is taken away too; what is done for a build stays its own."""
    if name == "beside":
        return replacing(before["beside"], value)
    if name == "addresses":
        return stated_addresses(value)
    return {**build.DEFAULTS, **value, "done": {}} if name == "build" else value


@dataclass
class TakeOverChange(ChangeVariant):
    """Set in a variant what another one changed: all of it, or some choices; checked and undone like any other edit.

    Parameters
    ----------
    source
        The variant whose change is taken over.
    only
        Choices by name; empty: all that it changed.

    """

    source: Variant | None = None
    only: tuple[str, ...] = ()
    name: ClassVar[str] = "variant.take_over"

    def execute(self) -> None:
        """Apply them as one edit."""
        source = variant_by_id(self.source.pk) if self.source else None
        if source is None or source.study_id != self.variant.study_id:
            raise refuse("variant.source", "source_id", "That is no variant of this study.", "Choose one of its own.")
        values = variant_fields(source)
        unknown = [name for name in self.only if name not in values]
        if unknown:
            raise refuse("variant.choice", "only", f"'{unknown[0][:40]}' is no choice.", "Leave it out.")
        taken = {name: values[name] for name in self.only} if self.only else change_of(source)
        before = variant_fields(self.variant)
        self.fields = {name: _whole(name, value, before) for name, value in taken.items()}
        if not self.fields:
            reason = f"'{source.name}' changes nothing of what it was made from."
            raise refuse("variant.same", "source_id", reason, "Choose another variant, or name the choices.")
        super().execute()

    def detail(self) -> dict[str, Any]:
        """Return where from, and the fields set."""
        return {"source": self.source.pk if self.source else None, **super().detail()}

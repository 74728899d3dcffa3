"""Keep autoscaling limits with a variant."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any, ClassVar

from rombel.errors import Fault, InputRefused
from rombel.model.rehearsal import PoolRange, range_faults
from studies.actions.of_study import OfVariant, Recording
from studies.edits import Change, record


@dataclass
class KeepLimits(Recording, OfVariant[None]):
    """Set the limits of a variant's pools as one edit; an empty list gives them up, and those of its design of all levels hold again."""

    limits: list[dict[str, Any]]
    name: ClassVar[str] = "limits.keep"

    def execute(self) -> None:
        """Keep them, or refuse them with every fault."""
        if faults := list(self._faults()):
            raise InputRefused(faults)
        change = Change(
            kind="variant",
            key=str(self.variant.pk),
            before={"limits": self.variant.limits},
            after={"limits": self.limits},
        )
        self.recorded = record(self.variant.study, self.actor, f"{self.variant.name}: autoscaling limits", [change])

    def _faults(self) -> Iterator[Fault]:
        seen = set()
        for number, entry in enumerate(self.limits):
            path, key = f"limits[{number}]", (entry["instance_type"], entry["purchase"], entry["zone"])
            if key in seen:
                yield Fault("limits.twice", path, f"{key[0]} in {key[2]} stands twice.", "State it once.")
            seen.add(key)
            yield from range_faults(PoolRange(entry["least"], entry["most"], entry["kept_back"]), path)

    def detail(self) -> dict[str, Any]:
        """Return how many they are."""
        return {"limits": len(self.limits)}

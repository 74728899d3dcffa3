"""Keep drills of one's own with a study."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any, ClassVar

from rombel.errors import Fault, InputRefused
from rombel.formats import drill_of
from rombel.simulate.drilling import order_faults
from studies.actions.of_study import OfStudy, Recording
from studies.edits import Change, record


@dataclass
class KeepDrills(Recording, OfStudy[None]):
    """Set the study's own drills as one edit; a fault in one refuses all.

    Whether the zones and pools they name are those of a fit is looked at when they are played: a study has fits of several variants.
    """

    drills: list[dict[str, Any]]
    name: ClassVar[str] = "drills.keep"

    def execute(self) -> None:
        """Keep them, or refuse them with every fault."""
        if faults := list(self._faults()):
            raise InputRefused(faults)
        change = Change(
            kind="study", key=str(self.study.pk), before={"drills": self.study.drills}, after={"drills": self.drills}
        )
        self.recorded = record(self.study, self.actor, "study: drills", [change])

    def _faults(self) -> Iterator[Fault]:
        names = [entry["name"].strip() for entry in self.drills]
        for number, entry in enumerate(self.drills):
            path = f"drills[{number}]"
            if not names[number] or names[number] in names[:number]:
                yield Fault("drill.name", f"{path}.name", "A drill needs a name of its own.", "Name it otherwise.")
            yield from order_faults(drill_of(entry), path)

    def detail(self) -> dict[str, Any]:
        """Return their names."""
        return {"drills": [entry["name"] for entry in self.drills]}

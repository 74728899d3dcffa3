"""Keep what a study rehearses."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any, ClassVar

from rombel.errors import Fault, InputRefused
from rombel.usage import read_shape
from studies.actions.of_study import OfStudy, Recording
from studies.edits import Change, record
from studies.scenario import read_scenario


@dataclass
class KeepRehearsal(Recording, OfStudy[None]):
    """Set demand, period, commands and outages as one edit; words that are not understood refuse all.

    Whether workloads and zones are those of a fit is looked at when it is played: a study has fits of several variants.
    """

    stated: dict[str, Any]
    name: ClassVar[str] = "rehearsal.keep"

    def execute(self) -> None:
        """Keep it, or refuse it with every fault."""
        if faults := list(self._faults()):
            raise InputRefused(faults)
        change = Change(
            kind="study",
            key=str(self.study.pk),
            before={"rehearsal": self.study.rehearsal},
            after={"rehearsal": self.stated},
        )
        self.recorded = record(self.study, self.actor, "study: rehearsal", [change])

    def _faults(self) -> Iterator[Fault]:
        try:
            scenario, _ = read_scenario(self.stated)
        except ValueError:
            yield Fault("rehearsal.time", "start", "A time is not understood.", "Write 2026-12-14T09:00.")
            return
        try:
            read_shape(scenario.words, scenario.start_s)
        except InputRefused as refused:
            yield from refused.faults
        times = {"bursts": [e.at_s for e in scenario.bursts], "outages": [e.at_s for e in scenario.outages]}
        for name, places in times.items():
            for number, at_s in enumerate(places):
                if not 0 <= at_s < 86_400 * scenario.days:
                    fix = f"Choose a time within the {scenario.days} days."
                    yield Fault("rehearsal.outside", f"{name}[{number}].at", "It is outside the rehearsal.", fix)

    def detail(self) -> dict[str, Any]:
        """Return the words."""
        return {"words": self.stated["words"], "days": self.stated["days"]}

"""State how much demand grows, how the month's hours are shared, and what is planned to come."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date
from typing import Any, ClassVar

from rombel.errors import Fault, InputRefused
from rombel.model.levels import sheet_faults
from rombel.model.quantity import parse_day
from rombel.usage import PlannedEvent
from studies.actions.of_study import OfStudy, Recording
from studies.adapt import demand_rows
from studies.edits import Change, record
from studies.models import Study

FIELDS = ("growth_percent", "level_shares", "events")


def events_of(study: Study) -> list[PlannedEvent]:
    """Return the planned events of a study."""
    days = date.fromisoformat
    return [PlannedEvent(e["name"], days(e["first"]), days(e["last"]), e["factor"]) for e in study.events]


@dataclass
class ChangeStudy(Recording, OfStudy[None]):
    """Set growth, hour shares or planned events, as one edit."""

    fields: dict[str, Any]
    name: ClassVar[str] = "study.change"

    def execute(self) -> None:
        """Apply the fields, or refuse them with every fault."""
        before = {name: getattr(self.study, name) for name in FIELDS}
        after = {**before, **self.fields}
        faults = [*_share_faults(after["level_shares"]), *_event_faults(after["events"])]
        # Growth can lift a row over what is computed exactly.
        if after["growth_percent"] != before["growth_percent"]:
            faults += sheet_faults(demand_rows(self.study), after["growth_percent"])
        if faults:
            raise InputRefused(faults)
        change = Change(kind="study", key=str(self.study.pk), before=before, after=after)
        words = ", ".join(sorted(name.replace("_", " ") for name in self.fields))
        self.recorded = record(self.study, self.actor, f"study: {words}", [change])

    def detail(self) -> dict[str, Any]:
        """Return the fields set."""
        return self.fields


def _share_faults(shares: dict[str, int]) -> list[Fault]:
    whole = sum(shares.values())
    if whole == 100:
        return []
    reason = f"The shares of the month's hours sum to {whole} %."
    return [Fault("study.shares", "level_shares", reason, "Let trough, usual and peak sum to 100.")]


def _event_faults(events: list[dict[str, Any]]) -> list[Fault]:
    faults: list[Fault] = []
    for number, event in enumerate(events):
        path = f"events[{number}]"
        try:
            first, last = (parse_day(event[name], f"{path}.{name}") for name in ("first", "last"))
        except InputRefused as refused:
            faults += refused.faults
            continue
        if not event["name"].strip():
            faults.append(Fault("event.name", f"{path}.name", "An event needs a name.", "Say what is to come."))
        if last < first:
            faults.append(Fault("event.days", f"{path}.last", "It ends before it begins.", "Swap the days."))
        if not 0 < event["factor"] <= 1000:
            fix = "Write 1.4 for two fifths more."
            faults.append(Fault("event.factor", f"{path}.factor", "A factor is above 0, at most 1000.", fix))
    return faults

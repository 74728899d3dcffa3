"""State a study's journeys, what they need from outside, and how often things fail in it."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, replace
from typing import Any, ClassVar

from rombel.errors import Fault, InputRefused
from rombel.model.demand import WorkloadKind
from rombel.model.journey import blocks_of, read_chain
from studies.actions.of_study import OfStudy, Recording
from studies.adapt import demand_rows, dependency, failures_of, percent_of
from studies.edits import Change, record
from studies.models import Study

FIELDS = ("journeys", "dependencies", "failures")


@dataclass
class StatePromises(Recording, OfStudy[None]):
    """Set journeys, dependencies or failure figures as one edit; a fault in one refuses all.

    A chain may only name workloads of the demand and dependencies of the study.
    """

    fields: dict[str, Any]
    name: ClassVar[str] = "promises.state"

    def execute(self) -> None:
        """Apply the fields, or refuse them with every fault."""
        before = {name: getattr(self.study, name) for name in FIELDS}
        after = {**before, **self.fields}
        faults = [*_dependency_faults(after["dependencies"]), *self._journey_faults(after)]
        try:
            failures_of(Study(failures=after["failures"]))
        except InputRefused as refused:
            faults += [replace(fault, path=f"failures.{fault.path}") for fault in refused.faults]
        if faults:
            raise InputRefused(faults)
        change = Change(kind="study", key=str(self.study.pk), before=before, after=after)
        self.recorded = record(self.study, self.actor, f"study: {', '.join(sorted(self.fields))}", [change])

    def _journey_faults(self, after: Mapping[str, Any]) -> Iterator[Fault]:
        rows = demand_rows(self.study)
        known = {row.full_name for row in rows if row.kind is not WorkloadKind.DAEMON}
        known |= {entry["name"] for entry in after["dependencies"]}
        names = [entry["name"].strip() for entry in after["journeys"]]
        for number, entry in enumerate(after["journeys"]):
            path = f"journeys[{number}]"
            if not names[number] or names[number] in names[:number]:
                yield Fault("journey.name", f"{path}.name", "A journey needs a name of its own.", "Name it otherwise.")
            yield from _read(percent_of, entry["target"], f"{path}.target")
            if not entry["chain"].strip():
                if all(row.journey != entry["name"] for row in rows):
                    reason = f"'{entry['name']}' has no chain, and no workload names it."
                    yield Fault("journey.empty", f"{path}.chain", reason, "Write the names of its links.")
                continue
            faults = list(_read(read_chain, entry["chain"], f"{path}.chain"))
            yield from faults
            for name in [] if faults else blocks_of(read_chain(entry["chain"])):
                if name not in known:
                    reason = f"'{name}' is no workload of the demand and no dependency."
                    yield Fault(
                        "journey.link", f"{path}.chain", reason, "Correct the name, or state the dependency first."
                    )

    def detail(self) -> dict[str, Any]:
        """Return the fields set."""
        return self.fields


def _dependency_faults(stated: list[dict[str, Any]]) -> Iterator[Fault]:
    names = [entry["name"].strip() for entry in stated]
    for number, entry in enumerate(stated):
        path = f"dependencies[{number}]"
        name = names[number]
        if not name or name in names[:number] or "/" in name or set(name) & set("(),"):
            fix = "Give it a name of its own without slash, comma or bracket."
            yield Fault("dependency.name", f"{path}.name", f"'{name[:40]}' is no name of a dependency.", fix)
        yield from _read(dependency, entry, f"{path}.availability")


def _read(read: Callable[[Any], object], stated: Any, path: str) -> Iterator[Fault]:
    """Yield the faults of what is stated, at its place."""
    try:
        read(stated)
    except InputRefused as refused:
        yield from (replace(fault, path=path) for fault in refused.faults)

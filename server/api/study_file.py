"""A study's file, read as strictly as what comes through the API: its parts by the schemas that planners' edits are read by."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from typing import Any

from pydantic import ValidationError

from api.schemas import VariantChange
from api.schemas_availability import PromisesIn
from api.schemas_demand import StudyChange
from api.schemas_drills import DrillsIn
from api.schemas_rehearsal import ScenarioIn, StatedLimitsIn
from handover.study_reading import some_of
from rombel.errors import Fault, InputRefused, gathered
from rombel.formats import faults_at, read_study_file
from studies.actions.change_study import FIELDS as CHANGED
from studies.actions.state_promises import FIELDS as PROMISED


def read_study_text(text: str) -> dict[str, Any]:
    """Return the values of a study's file.

    Raises
    ------
    InputRefused
        With every fault that can be told before the parts are put together.

    """
    value, faults = read_study_file(text), list[Fault]()
    own = value["study"]
    with _read(faults, "study"):
        own |= StudyChange.model_validate(some_of(own, CHANGED)).dict(exclude_unset=True)
    with _read(faults, "study"):
        own |= PromisesIn.model_validate(some_of(own, PROMISED)).dict(exclude_unset=True)
    with _read(faults, "study"):
        own["drills"] = [each.plain() for each in DrillsIn.model_validate({"drills": own.get("drills", [])}).drills]
    if own.get("rehearsal"):
        with _read(faults, "study.rehearsal"):
            own["rehearsal"] = ScenarioIn.model_validate(own["rehearsal"]).plain()
    for place, variant in enumerate(value["variants"]):
        with _read(faults, f"variants[{place}].choices"):
            variant["choices"] = _choices(variant.get("choices", {}))
        with _read(faults, f"variants[{place}]"):
            read = StatedLimitsIn.model_validate({"limits": variant.get("limits", [])})
            variant["limits"] = [entry.model_dump() for entry in read.limits]
    if faults:
        raise InputRefused(faults)
    return value


def _choices(stated: Mapping[str, Any]) -> dict[str, Any]:
    read = VariantChange.model_validate(stated).dict(exclude_unset=True)
    # A reason for leaving a rule stands with the rule, and the region with its price list.
    return {name: own for name, own in read.items() if name not in ("why", "region_id")}


@contextmanager
def _read(faults: list[Fault], path: str) -> Iterator[None]:
    """Gather what a part has wrong, whether its form is refused or what it says."""
    with gathered(faults):
        try:
            yield
        except ValidationError as error:
            raise InputRefused(faults_at(error.errors(), path)) from error

"""A study's file, read as strictly as what comes through the API: its parts by the schemas that planners' edits are read by."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from pydantic import ValidationError

from api.schemas import VariantChange
from api.schemas_availability import PromisesIn
from api.schemas_demand import StudyChange
from api.schemas_drills import DrillsIn
from api.schemas_rehearsal import ScenarioIn, StatedLimitsIn
from handover.study_reading import Faults, as_faults
from rombel.errors import InputRefused
from rombel.formats import read_study_file

_CHANGE = ("growth_percent", "level_shares", "events")
_PROMISES = ("journeys", "dependencies", "failures")


def read_study_text(text: str) -> dict[str, Any]:
    """Return the values of a study's file.

    Raises
    ------
    InputRefused
        With every fault that can be told before the parts are put together.

    """
    value, faults = read_study_file(text), Faults()
    own = value["study"]
    own |= _kept(faults, "study", lambda: StudyChange.model_validate(_some(own, _CHANGE)).dict(exclude_unset=True))
    own |= _kept(faults, "study", lambda: PromisesIn.model_validate(_some(own, _PROMISES)).dict(exclude_unset=True))
    drills = {"drills": own.get("drills", [])}
    own |= _kept(faults, "study", lambda: {"drills": [each.plain() for each in DrillsIn.model_validate(drills).drills]})
    if own.get("rehearsal"):
        stated = own["rehearsal"]
        own |= _kept(faults, "study.rehearsal", lambda: {"rehearsal": ScenarioIn.model_validate(stated).plain()})
    for place, variant in enumerate(value["variants"]):
        path = f"variants[{place}]"
        variant |= _kept(faults, f"{path}.choices", _choices, variant)
        variant |= _kept(faults, path, _limits, variant)
    faults.refuse()
    return value


def _choices(variant: Mapping[str, Any]) -> dict[str, Any]:
    read = VariantChange.model_validate(variant.get("choices", {})).dict(exclude_unset=True)
    # A reason for leaving a rule stands with the rule, and the region with its price list.
    return {"choices": {name: own for name, own in read.items() if name not in ("why", "region_id")}}


def _limits(variant: Mapping[str, Any]) -> dict[str, Any]:
    read = StatedLimitsIn.model_validate({"limits": variant.get("limits", [])})
    return {"limits": [entry.model_dump() for entry in read.limits]}


def _some(own: Mapping[str, Any], names: tuple[str, ...]) -> dict[str, Any]:
    return {name: own[name] for name in names if name in own}


def _kept(faults: Faults, path: str, read: Callable[..., dict[str, Any]], *given: Any) -> dict[str, Any]:
    def placed() -> dict[str, Any]:
        try:
            return read(*given)
        except ValidationError as error:
            raise InputRefused(as_faults(error, path)) from error

    return faults.keep(placed) or {}

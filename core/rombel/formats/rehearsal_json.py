"""Settings of a rehearsal as JSON: reading (strict, every fault with its path) and writing."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import asdict, dataclass, field
from typing import Any

from rombel.formats._json import load_strict, stated_fields, validate
from rombel.model.demand import Budget
from rombel.model.fit_problem import OfferKey, Purchase
from rombel.model.rehearsal import (
    USUAL_DOWN,
    USUAL_UP,
    Burst,
    Outage,
    OutageKind,
    PoolRange,
    RehearsalParams,
    ScalingPolicy,
    ScalingRules,
    Select,
)

FORMAT = "rombel-rehearsal/1"


@dataclass(frozen=True, slots=True)
class WorkloadSettings:
    """What is stated of a workload; None: nothing is."""

    least: int | None = None
    most: int | None = None
    per_replica: float | None = None
    target_percent: int = 70
    start_up_s: int | None = None
    priority: int = 0
    budget: Budget | None = None
    up: ScalingRules = USUAL_UP
    down: ScalingRules = USUAL_DOWN


@dataclass(frozen=True, slots=True)
class RehearsalSettings:
    """How workloads and pools scale, what is commanded and what goes wrong; the demand stands in a file of its own."""

    workloads: Mapping[str, WorkloadSettings] = field(default_factory=dict)
    ranges: Mapping[OfferKey, PoolRange] = field(default_factory=dict)
    taken_back: Mapping[OfferKey, float] = field(default_factory=dict)
    bursts: tuple[Burst, ...] = ()
    outages: tuple[Outage, ...] = ()
    params: RehearsalParams = field(default_factory=RehearsalParams)


def read_rehearsal(text: str) -> RehearsalSettings:
    """Return the settings that the JSON text states.

    Raises
    ------
    InputRefused
        When the text breaks the schema.

    """
    raw = load_strict(text)
    validate(raw, "rehearsal-1")
    return RehearsalSettings(
        workloads={name: _workload(entry) for name, entry in raw.get("workloads", {}).items()},
        ranges={
            (entry["instance_type"], Purchase(entry["purchase"]), entry["zone"]): PoolRange(
                entry["least"], entry["most"], entry.get("kept_back", 0)
            )
            for entry in raw.get("limits", ())
        },
        taken_back={
            (entry["instance_type"], Purchase.INTERRUPTIBLE, entry["zone"]): entry["per_hour"]
            for entry in raw.get("interruptions", ())
        },
        bursts=tuple(Burst(**entry) for entry in raw.get("bursts", ())),
        outages=tuple(Outage(**{**entry, "kind": OutageKind(entry["kind"])}) for entry in raw.get("outages", ())),
        params=RehearsalParams(**raw.get("timing", {})),
    )


def _workload(raw: Mapping[str, Any]) -> WorkloadSettings:
    stated: dict[str, Any] = dict(raw)
    if "budget" in raw:
        stated["budget"] = Budget(**raw["budget"])
    for way, usual in (("up", USUAL_UP), ("down", USUAL_DOWN)):
        if way in raw:
            stated[way] = _rules(raw[way], usual)
    return WorkloadSettings(**stated)


def _rules(raw: Mapping[str, Any], usual: ScalingRules) -> ScalingRules:
    policies = tuple(ScalingPolicy(**entry) for entry in raw["policies"]) if "policies" in raw else usual.policies
    return ScalingRules(
        raw.get("window_s", usual.window_s),
        policies,
        Select(raw.get("select", str(usual.select))),
        raw.get("tolerance_permille", usual.tolerance_permille),
    )


def write_rehearsal(settings: RehearsalSettings) -> str:
    """Return the settings as JSON text that ``read_rehearsal`` reads."""
    value = {
        "format": FORMAT,
        "workloads": {name: _stated(entry, WorkloadSettings()) for name, entry in settings.workloads.items()},
        "limits": [
            {"instance_type": name, "purchase": str(purchase), "zone": zone} | asdict(pool)
            for (name, purchase, zone), pool in settings.ranges.items()
        ],
        "interruptions": [
            {"instance_type": name, "zone": zone, "per_hour": per_hour}
            for (name, _, zone), per_hour in settings.taken_back.items()
        ],
        "bursts": [_stated(entry, Burst(-1, "", 0)) for entry in settings.bursts],
        "outages": [
            {"kind": str(entry.kind)} | _stated(entry, Outage(entry.kind, -1, 0)) for entry in settings.outages
        ],
        "timing": _stated(settings.params, RehearsalParams()),
    }
    return json.dumps(value, indent=2, ensure_ascii=False)


def _stated(value: Any, default: Any) -> dict[str, Any]:
    return stated_fields(value, default, _plain)


def _plain(own: Any, default: Any) -> Any:
    if isinstance(own, ScalingRules):
        return _stated(own, default) | {
            "policies": [_stated(entry, ScalingPolicy(period_s=0)) for entry in own.policies]
        }
    if isinstance(own, Budget):
        return _stated(own, Budget())
    return str(own) if isinstance(own, Select) else own

"""A plan as it was seen when it was handed in: figures that are signed, and a digest that any other figure would change."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass
from decimal import Decimal
from typing import Any

from rombel.model.drill import Mark
from rombel.model.fit_problem import OfferKey, Purchase
from rombel.preflight import Grade

_MINUTES = Decimal("0.0001")
"""Downtime is kept to less than a hundredth of a second, so that it is the same text on every machine."""


@dataclass(frozen=True, slots=True)
class SeenJourney:
    """Minutes a month for which a journey is down, and those that its target allows; None: it has no target."""

    name: str
    minutes: Decimal
    allowed: Decimal | None

    @classmethod
    def of(cls, name: str, minutes: float, allowed: float | None) -> SeenJourney:
        """Return it from figures as they are computed."""
        limit = None if allowed is None else Decimal(allowed).quantize(_MINUTES)
        return cls(name, Decimal(minutes).quantize(_MINUTES), limit)


@dataclass(frozen=True, slots=True)
class SeenDrill:
    """A drill and what it showed."""

    name: str
    mark: Mark


@dataclass(frozen=True, slots=True)
class SeenFinding:
    """A finding of pre-flight with what would fix it; ``accepted`` says who accepted it and why, empty: nobody did."""

    grade: Grade
    code: str
    text: str
    fix: str
    accepted: str = ""


@dataclass(frozen=True, slots=True)
class SeenPlan:
    """All that is signed.

    Parameters
    ----------
    problem, solution
        Fingerprints (SHA-256) of the texts of what was asked and of the plan.
    cost, floor
        A month with all fees, in ``currency``.
    nodes
        How many by instance type, purchase and zone.
    bill
        By what it is paid for, amounts that sum to ``cost``.
    drills
        None: not all of the drill book was played on this plan.
    deviations
        House rules that are left: which, what was chosen, and why.

    """

    problem: str
    solution: str
    currency: str
    cost: Decimal
    floor: Decimal
    nodes: Mapping[OfferKey, int]
    journeys: Sequence[SeenJourney]
    bill: Sequence[tuple[str, Decimal]]
    drills: Sequence[SeenDrill] | None
    findings: Sequence[SeenFinding]
    deviations: Sequence[tuple[str, str, str]] = ()

    @property
    def gap(self) -> float | None:
        """Return how far above the floor the cost is, as a share; None: there is no floor."""
        return float(self.cost / self.floor - 1) if self.floor else None


def seen_value(seen: SeenPlan) -> dict[str, Any]:
    """Return what was seen as plain values; figures are texts, which no database and no reader rounds."""
    return {
        **{name: getattr(seen, name) for name in ("problem", "solution", "currency")},
        "cost": str(seen.cost),
        "floor": str(seen.floor),
        "nodes": [[*map(str, key), count] for key, count in sorted(seen.nodes.items())],
        "journeys": [
            {
                "name": own.name,
                "minutes": str(own.minutes),
                "allowed": None if own.allowed is None else str(own.allowed),
            }
            for own in seen.journeys
        ],
        "bill": [[name, str(amount)] for name, amount in seen.bill],
        "drills": None if seen.drills is None else [[drill.name, str(drill.mark)] for drill in seen.drills],
        "findings": [{**asdict(each), "grade": str(each.grade)} for each in seen.findings],
        "deviations": [list(each) for each in seen.deviations],
    }


def read_seen(value: Mapping[str, Any]) -> SeenPlan:
    """Return what was seen from its plain values."""
    return SeenPlan(
        problem=value["problem"],
        solution=value["solution"],
        currency=value["currency"],
        cost=Decimal(value["cost"]),
        floor=Decimal(value["floor"]),
        nodes={(name, Purchase(purchase), zone): count for name, purchase, zone, count in value["nodes"]},
        journeys=tuple(
            SeenJourney(
                own["name"], Decimal(own["minutes"]), None if own["allowed"] is None else Decimal(own["allowed"])
            )
            for own in value["journeys"]
        ),
        bill=tuple((name, Decimal(amount)) for name, amount in value["bill"]),
        drills=None
        if value["drills"] is None
        else tuple(SeenDrill(name, Mark(mark)) for name, mark in value["drills"]),
        findings=tuple(SeenFinding(**{**each, "grade": Grade(each["grade"])}) for each in value["findings"]),
        deviations=tuple((rule, chosen, why) for rule, chosen, why in value["deviations"]),
    )


def digest_of_seen(value: Mapping[str, Any]) -> str:
    """Return the fingerprint (SHA-256) of what was seen, whatever the order in which its fields are kept."""
    text = json.dumps(value, sort_keys=True, separators=(",", ":"), ensure_ascii=False)
    return hashlib.sha256(text.encode()).hexdigest()

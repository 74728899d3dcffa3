"""What a study rehearses, as it is stored: demand in words, when and how long, what is commanded and what goes wrong, what is promised."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from typing import Any

from rombel.inquiry import Scenario
from rombel.model.rehearsal import Burst, Outage, OutageKind
from studies.models import Study

WORDS = "day, week"
DAYS = 7
MOST_LATE_PERCENT = 0.1
"""What a study rehearses before anybody says otherwise."""


def stored_scenario(study: Study) -> dict[str, Any]:
    """Return what is stored, with what is usual where nothing is."""
    usual = {
        "words": WORDS,
        "start": next_monday(datetime.now(UTC)).isoformat(timespec="minutes"),
        "days": DAYS,
        "most_late_percent": MOST_LATE_PERCENT,
        "bursts": [],
        "outages": [],
    }
    return {**usual, **study.rehearsal}


def next_monday(now: datetime) -> datetime:
    """Return the first midnight of a Monday from now on."""
    midnight = now.replace(hour=0, minute=0, second=0, microsecond=0)
    return midnight + timedelta(days=(7 - midnight.weekday()) % 7)


def scenario_of(study: Study) -> tuple[Scenario, float]:
    """Return what a study rehearses, and how many percent of the demand may be late."""
    return read_scenario(stored_scenario(study))


def read_scenario(stored: dict[str, Any]) -> tuple[Scenario, float]:
    """Return the scenario of stored values; times of what happens are counted from the start."""
    start = _moment(stored["start"])

    def since(text: str) -> int:
        return round((_moment(text) - start).total_seconds())

    bursts = (
        Burst(since(e["at"]), e["workload"], e["count"], None if e.get("minutes") is None else 60 * e["minutes"])
        for e in stored["bursts"]
    )
    outages = (
        Outage(
            OutageKind(e["kind"]), since(e["at"]), 60 * e["minutes"], e.get("zone", ""), e.get("instance_type", ""), e.get("per_hour", 0.0)
        )
        for e in stored["outages"]
    )  # fmt: skip
    scenario = Scenario(stored["words"], round(start.timestamp()), stored["days"], tuple(bursts), tuple(outages))
    return scenario, stored["most_late_percent"]


def _moment(text: str) -> datetime:
    """Return a time; one without a zone is UTC."""
    found = datetime.fromisoformat(text)
    return found.replace(tzinfo=UTC) if found.tzinfo is None else found.astimezone(UTC)

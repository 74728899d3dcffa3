"""Starters of the invented house: what was planned well before, for others to begin with; and a study that was made from one."""

from __future__ import annotations

from typing import Any

from accounts.models import User
from catalogue.models import Region
from rombel.starters import Answers
from runs.actions.start_run import StartRun
from starters.actions.fill_starter import Asked, make_of
from starters.actions.keep_starter import SaveStarter, SaveVersion
from starters.models import Starter
from starters.queries import newest
from studies.models import Study, Variant
from studies.queries import variant_by_id

SIZES = [{"name": "S", "factor": "0.5"}, {"name": "M", "factor": "1"}, {"name": "L", "factor": "2"}]


def load_starters(planner: User, lead: User) -> None:
    """Save two starters, the second with a study of its first version and a newer one since."""
    season = SaveStarter(
        lead, _reference("Winter lay-up"), "Season of bookings", "What sells tickets, for one fleet."
    ).run()
    _version(
        season,
        lead,
        "replicas follow bookings an hour",
        [_input("bookings", "bookings", "an hour at peak", "3000", "200", "60000")],
        {
            "bookings/api": {"replicas": "max(3, ceil(bookings / 400 * size))"},
            "bookings/search": {"replicas": "max(3, ceil(bookings / 600 * size))"},
            "fares/engine": {"replicas": "max(2, ceil(bookings / 900 * size))", "memory": "2 + bookings / 30000"},
        },
    )
    island = SaveStarter(
        lead, _reference("Island edge"), "Post on a quay", "What an island needs to board a ferry by itself."
    ).run()
    calls = _input("calls", "ferry calls", "a day", "12", "1", "80")
    tiles = {"positions/map-tiles": {"replicas": "max(2, ceil(calls / 6 * size))"}}
    island = _version(island, lead, "map tiles follow the calls", [calls], tiles)
    answers = Answers("S", {"calls": "20"}, "", {})
    region = Region.objects.get(name="far-isle")
    study = make_of(planner, newest(island), Asked("Holm quay", region.pk, (), answers)).run()
    Study.objects.filter(pk=study.pk).update(organisation="Mareel Line", tags=["quay"])
    StartRun(planner, variant_by_id(study.variants.get().pk)).run()
    tiles = {"positions/map-tiles": {"replicas": "max(2, ceil(calls / 4 * size))", "memory": "1.5"}}
    _version(island, lead, "tiles were late in August", [calls], tiles)


def _reference(name: str) -> Variant:
    return variant_by_id(Variant.objects.get(study__name=name, is_reference=True).pk)


def _input(name: str, label: str, unit: str, value: str, least: str, most: str) -> dict[str, str]:
    return {"name": name, "label": label, "unit": unit, "value": value, "least": least, "most": most}


def _version(starter: Starter, lead: User, why: str, inputs: list[dict[str, str]], formulas: dict[str, Any]) -> Starter:
    """Keep a next version with other formulas of some workloads."""
    last = newest(starter)
    blanks = {"inputs": inputs, "sizes": SIZES, "formulas": {**last.shape["formulas"], **formulas}}
    return SaveVersion(lead, starter, last.number, blanks, why).run()

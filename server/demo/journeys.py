"""The invented journeys of Mareel Line, and what they need from outside."""

from __future__ import annotations

from typing import Any

JOURNEYS: list[dict[str, Any]] = [
    {
        "name": "buy a ticket",
        "target": "99.95",
        "chain": "platform/gateway, identity/login, bookings/search, bookings/api, bookings/holds, fares/engine, "
        "seat register, payments/gateway, card clearing, any of (notices/mail, notices/push)",
    },
    {
        "name": "where is my ferry",
        "target": "99.9",
        "chain": "platform/gateway, positions/ingest, positions/fan-out, positions/map-tiles, transponder feed, "
        "any of (notices/push, notices/screens)",
    },
    {
        "name": "back office",
        "target": "99.5",
        "chain": "platform/gateway, identity/login, crew/rosters, freight/manifests, freight/ledger, customs exchange, "
        "support/desk, reports/dashboards",
    },
]

DEPENDENCIES: list[dict[str, Any]] = [
    {
        "name": "seat register",
        "reach": "zonal",
        "zone": "amber",
        "availability": "99.98",
        "repair_s": 1800,
        "origin": "invented for the demo",
        "why": "a database kept by the provider, in one zone",
    },
    {
        "name": "card clearing",
        "reach": "outside",
        "availability": "99.975",
        "repair_s": 900,
        "origin": "invented for the demo",
        "why": "the acquiring bank",
    },
    {
        "name": "transponder feed",
        "reach": "spread",
        "availability": "99.6",
        "repair_s": 2400,
        "origin": "invented for the demo",
        "why": "a receiver in every zone, any one will do",
    },
    {
        "name": "customs exchange",
        "reach": "outside",
        "availability": "99.7",
        "repair_s": 7200,
        "origin": "invented for the demo",
        "why": "closed for maintenance at night",
    },
]

EDGE_JOURNEYS: list[dict[str, Any]] = [
    {
        "name": "board a ferry",
        "target": "99.99",
        "chain": "positions/ingest, berths/board, notices/screens, identity/login, harbour link",
    },
]

EDGE_DEPENDENCIES: list[dict[str, Any]] = [
    {
        "name": "harbour link",
        "reach": "outside",
        "availability": "99.996",
        "repair_s": 600,
        "origin": "invented for the demo",
        "why": "the radio link to the mainland",
    },
]

EDGE_WORKLOADS = frozenset(
    {"positions/ingest", "positions/map-tiles", "berths/board", "notices/screens", "identity/login", "cafes/till-sync"}
)
"""What runs on the island, of the summer's demand."""

REHEARSAL: dict[str, Any] = {
    "words": "day, week to 80%, burst x3.5 at Fri 09:00 for 3 h on bookings/*, burst x3 at Fri 09:00 for 3 h on identity/*",
    "start": "2026-12-14T00:00",
    "days": 7,
    "most_late_percent": 0.7,
    "bursts": [],
    "outages": [],
}
"""The week in which the holiday timetable opens, on a Friday at nine."""

DRILLS = [
    {
        "name": "a node goes while a version is rolled",
        "steps": [{"kind": "version"}, {"kind": "nodes", "at_s": 3000.0}],
    },
    {
        "name": "two nodes less under the position history",
        "steps": [{"kind": "shrink", "instance_type": "tern-16", "purchase": "on-demand", "count": 6}],
    },
]
"""Drills of Mareel Line's own: the first strains the plan, the second moves partitioned data whose copies have to be made again."""

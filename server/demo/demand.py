"""The invented demand of Mareel Line in the summer season."""

from __future__ import annotations

from rombel.model.demand import Basis, Budget, Demand, Partitioned, PodDetail, Sizing, Volume, WorkloadKind
from rombel.model.fit_problem import Survival
from rombel.model.pod import Amounts
from rombel.model.study import ARCHITECTURE_LABEL
from rombel.model.traffic import Traffic

AMD = {ARCHITECTURE_LABEL: "amd64"}
MIB = 2**20

# namespace, name, replicas, millicores, MiB, zone skew, most per node, owner, needs amd64
_ROWS = (
    ("bookings", "api", 24, 900, 1536, 1, None, "Bookings", True),
    ("bookings", "search", 16, 1400, 3072, 1, None, "Bookings", True),
    ("bookings", "holds", 6, 500, 2560, 1, None, "Bookings", True),
    ("bookings", "calendar", 8, 400, 1024, 1, None, "Bookings", False),
    ("bookings", "mailer", 4, 150, 384, None, None, "Bookings", False),
    ("fares", "engine", 14, 1500, 6144, 1, None, "Pricing", True),
    ("fares", "cache", 8, 500, 7168, 1, 2, "Pricing", True),
    ("fares", "rules-editor", 4, 250, 768, None, None, "Pricing", False),
    ("positions", "ingest", 24, 1100, 1280, 1, None, "Fleet", False),
    ("positions", "map-tiles", 14, 700, 2048, 1, None, "Fleet", False),
    ("positions", "history", 8, 800, 5120, 1, None, "Fleet", True),
    ("positions", "fan-out", 16, 600, 512, 1, None, "Fleet", False),
    ("positions", "geofence", 6, 900, 1024, 1, None, "Fleet", False),
    ("freight", "manifests", 8, 700, 4608, 1, None, "Freight", True),
    ("freight", "scans", 8, 450, 1792, 1, None, "Freight", True),
    ("freight", "customs-link", 4, 300, 1024, None, None, "Freight", True),
    ("freight", "weigh-bridge", 6, 200, 512, 1, None, "Freight", False),
    ("freight", "ledger", 6, 1000, 8192, 1, 1, "Freight", True),
    ("weather", "routing", 8, 3200, 4096, 1, None, "Nautical", True),
    ("weather", "feeds", 6, 600, 1536, None, None, "Nautical", True),
    ("weather", "tides", 4, 500, 1024, None, None, "Nautical", False),
    ("berths", "allocator", 6, 1800, 3584, 1, None, "Ports", True),
    ("berths", "board", 6, 250, 512, 1, None, "Ports", False),
    ("berths", "pilot-rota", 4, 300, 768, None, None, "Ports", False),
    ("notices", "push", 20, 350, 640, 1, None, "Passenger", False),
    ("notices", "mail", 6, 200, 512, None, None, "Passenger", False),
    ("notices", "screens", 8, 300, 768, 1, None, "Passenger", False),
    ("crew", "rosters", 6, 600, 2560, 1, None, "People", True),
    ("crew", "training", 4, 250, 1024, None, None, "People", False),
    ("crew", "timesheets", 4, 300, 1280, None, None, "People", True),
    ("cafes", "till-sync", 8, 300, 768, 1, None, "On board", False),
    ("cafes", "stock", 4, 250, 1024, None, None, "On board", True),
    ("identity", "login", 10, 500, 1024, 1, None, "Platform", True),
    ("identity", "tokens", 8, 300, 512, 1, 1, "Platform", True),
    ("payments", "gateway", 10, 800, 1536, 1, 2, "Payments", True),
    ("payments", "reconcile", 4, 900, 3072, None, None, "Payments", True),
    ("support", "desk", 6, 300, 1536, None, None, "Passenger", True),
    ("reports", "nightly", 4, 2000, 7168, None, None, "Finance", True),
    ("reports", "dashboards", 6, 500, 2048, None, None, "Finance", True),
    ("platform", "queue", 3, 1500, 6144, 1, 1, "Platform", True),
    ("platform", "gateway", 10, 1000, 1024, 1, 2, "Platform", True),
)

_DAEMONS = (
    ("platform", "log-agent", 80, 160, "Platform"),
    ("platform", "metrics-agent", 60, 128, "Platform"),
    ("platform", "net-agent", 100, 192, "Platform"),
)

_STATEFUL = {"bookings/holds", "fares/cache", "freight/ledger", "platform/queue", "positions/history"}
_UNLABELLED = {"cafes/stock", "support/desk"}
_UNPROMISED = {"reports/nightly", "crew/training", "payments/reconcile"}


_JOURNEYS = {
    "buy a ticket": ("bookings", "fares", "payments", "identity"),
    "where is my ferry": ("positions", "notices"),
    "back office": ("freight", "crew", "reports", "support", "cafes"),
}
"""Namespaces by the journey they carry."""

_SIZING = {
    "bookings/api": Sizing(Basis.RATE, least=6, most=40, target_percent=70, trough=110, usual=360, peak=830,
                           per_replica=50),
    "bookings/search": Sizing(Basis.RATE, least=4, most=24, target_percent=70, trough=60, usual=240, peak=560,
                              per_replica=50),
    "positions/ingest": Sizing(Basis.RANGE, least=16, most=24, target_percent=70),
    "positions/fan-out": Sizing(Basis.RANGE, least=6, most=16, target_percent=65),
    "notices/push": Sizing(Basis.RANGE, least=4, most=20, target_percent=70),
    "payments/gateway": Sizing(Basis.RANGE, least=6, most=10, target_percent=60),
    "identity/login": Sizing(Basis.RATE, least=4, most=12, target_percent=70, trough=40, usual=150, peak=340,
                             per_replica=50),
    "weather/routing": Sizing(Basis.QUEUE, least=3, most=12, trough=0.4, usual=1.1, peak=1.9, service_s=2.4,
                              wait_s=2.0, late_percent=5),
}  # fmt: skip

_VOLUMES = {
    "freight/ledger": (Volume("data", 200 * 2**30),),
    "platform/queue": (Volume("log", 100 * 2**30), Volume("index", 20 * 2**30)),
}
_PARTITIONED = {
    "platform/queue": Partitioned(24, 3, 90 * 2**30, 120 * 2**20),
    "positions/history": Partitioned(16, 2, 300 * 2**30, 80 * 2**20),
}
_BUDGETS = {"platform/queue": Budget(max_unavailable="1"), "bookings/api": Budget(min_available="75%")}
_SENT_GIB = {
    "bookings/api": {"out": 420, "fares/engine": 1150, "payments/gateway": 260},
    "positions/ingest": {"platform/queue": 3200},
    "positions/fan-out": {"notices/push": 900, "positions/map-tiles": 640},
    "positions/map-tiles": {"out": 1700},
    "notices/push": {"out": 310},
    "notices/mail": {"out": 95},
    "reports/dashboards": {"out": 60, "inside": 380},
    "platform/gateway": {"bookings/api": 980},
    "platform/log-agent": {"platform/queue": 2100},
}
"""What is sent in a month, as far as it was measured."""
_TOGETHER = {"berths/board": "berth desk", "berths/allocator": "berth desk"}


def _journey(namespace: str) -> str:
    return next((name for name, spaces in _JOURNEYS.items() if namespace in spaces), "")


def _sent(name: str) -> tuple[Traffic, ...]:
    return tuple(Traffic(to, gib * 2**30) for to, gib in _SENT_GIB.get(name, {}).items())


def _usual(name: str, replicas: int) -> int:
    """Return the replicas that usually run: two thirds of the most, where an autoscaler has a range."""
    return replicas * 2 // 3 if name in _SIZING and _SIZING[name].basis is Basis.RANGE else replicas


def summer_demand() -> list[Demand]:
    """Return the demand sheet of "Summer timetable"."""
    rows = [
        Demand(
            namespace=namespace,
            name=name,
            kind=WorkloadKind.STATEFUL if f"{namespace}/{name}" in _STATEFUL else WorkloadKind.REPLICATED,
            replicas=_usual(f"{namespace}/{name}", replicas),
            request=Amounts(millicores, mebibytes * MIB),
            zone_skew=skew,
            most_per_node=most,
            node_labels=AMD if amd else {},
            owner=owner,
            promised=f"{namespace}/{name}" not in _UNPROMISED,
            survive_zone=Survival.STANDING if f"{namespace}/{name}" in _VOLUMES else None,
            labels={} if f"{namespace}/{name}" in _UNLABELLED else {"team": owner.lower().replace(" ", "-")},
            interruptible_percent=50 if f"{namespace}/{name}" in _UNPROMISED else 0,
            journey=_journey(namespace),
            together=_TOGETHER.get(f"{namespace}/{name}", ""),
            sizing=_SIZING.get(f"{namespace}/{name}", Sizing()),
            pod=PodDetail(volumes=_VOLUMES.get(f"{namespace}/{name}", ()), start_up_s=20),
            partitioned=_PARTITIONED.get(f"{namespace}/{name}"),
            budget=_BUDGETS.get(f"{namespace}/{name}"),
            traffic=_sent(f"{namespace}/{name}"),
        )
        for namespace, name, replicas, millicores, mebibytes, skew, most, owner, amd in _ROWS
    ]
    rows += [
        Demand(
            namespace,
            name,
            WorkloadKind.DAEMON,
            0,
            Amounts(millicores, mebibytes * MIB),
            owner=owner,
            labels={"team": owner.lower()},
            traffic=_sent(f"{namespace}/{name}"),
        )
        for namespace, name, millicores, mebibytes, owner in _DAEMONS
    ]
    return rows

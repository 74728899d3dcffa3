"""The invented demand of Mareel Line in the summer season."""

from __future__ import annotations

from rombel.model.demand import Demand, WorkloadKind
from rombel.model.pod import Amounts
from rombel.model.study import ARCHITECTURE_LABEL

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


def summer_demand() -> list[Demand]:
    """Return the demand sheet of "Summer timetable"."""
    rows = [
        Demand(
            namespace=namespace,
            name=name,
            kind=WorkloadKind.STATEFUL if f"{namespace}/{name}" in _STATEFUL else WorkloadKind.REPLICATED,
            replicas=replicas,
            request=Amounts(millicores, mebibytes * MIB),
            zone_skew=skew,
            most_per_node=most,
            node_labels=AMD if amd else {},
            owner=owner,
            promised=f"{namespace}/{name}" not in _UNPROMISED,
            labels={} if f"{namespace}/{name}" in _UNLABELLED else {"team": owner.lower().replace(" ", "-")},
            interruptible_percent=50 if f"{namespace}/{name}" in _UNPROMISED else 0,
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
        )
        for namespace, name, millicores, mebibytes, owner in _DAEMONS
    ]
    return rows

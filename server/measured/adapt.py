"""Between stored measurements and the core's values."""

from __future__ import annotations

import zlib
from functools import lru_cache

import numpy as np
from pydantic import TypeAdapter

from accounts.models import User
from measured.models import Listing, UsageSeries, UsageSet
from rombel.model.running import Running
from rombel.usage import Assembled, Series, WorkloadUsage
from rombel.usage.series import Values

_RUNNING = TypeAdapter(Running)


def running_of(row: Listing) -> Running:
    """Return what ran when the cluster was listed; a listing never changes, so the last few are kept as values."""
    return _running(row.pk)


@lru_cache(8)
def _running(listing_id: int) -> Running:
    return _RUNNING.validate_python(Listing.objects.values_list("content", flat=True).get(pk=listing_id))


def store_listing(running: Running, origin: str, actor: User) -> Listing:
    """Return the stored listing."""
    content = _RUNNING.dump_python(running, mode="json")
    return Listing.objects.create(origin=origin[:200], content=content, nodes=len(running.nodes), read_by=actor)


def store_usage(usage: UsageSet, found: Assembled, samples: int) -> None:
    """Give a set its series, at least one; its text is forgotten."""
    first = next(iter(found.usage.values())).total
    usage.start_s, usage.step_s, usage.steps = first.start_s, first.step_s, len(first.values)
    usage.samples, usage.content = samples, None
    usage.left_out = [{"why": why, "count": count} for why, count in found.left_out.items()]
    usage.save()
    UsageSeries.objects.bulk_create(
        UsageSeries(
            usage=usage,
            workload=name,
            resource=resource,
            total=_packed(entry.total.values),
            busiest=_packed(entry.busiest.values),
            replicas=entry.replicas,
            resets=entry.resets,
            from_totals=entry.from_totals,
        )
        for (name, resource), entry in found.usage.items()
    )


def usage_of(usage: UsageSet, workload: str = "") -> dict[tuple[str, str], WorkloadUsage]:
    """Return the use by workload and resource, of all workloads or of one."""
    rows = usage.series.filter(workload=workload) if workload else usage.series.all()
    return {
        (row.workload, row.resource): WorkloadUsage(
            total=Series(usage.start_s, usage.step_s, _unpacked(row.total)),
            busiest=Series(usage.start_s, usage.step_s, _unpacked(row.busiest)),
            replicas=row.replicas,
            resets=row.resets,
            from_totals=row.from_totals,
        )
        for row in rows
    }


def _packed(values: Values) -> bytes:
    # Measured values have no more digits than 32 bits hold.
    return zlib.compress(values.astype(np.float32).tobytes(), 1)


def _unpacked(stored: bytes | memoryview) -> Values:
    return np.frombuffer(zlib.decompress(bytes(stored)), np.float32).astype(np.float64)

"""Limits below requests."""

from __future__ import annotations

from rombel.preflight.rule import Found, Grade, When, rule, some
from rombel.preflight.situation import Situation


@rule("demand.limit", When.START, "demand")
def limited(at: Situation) -> Found:
    """Stop: the API refuses a container whose limit is below its request (API reference, ``ResourceRequirements``, from memory)."""
    names = {
        row.full_name
        for row in at.rows
        for each in row.pod.containers
        for name in ("cpu_millicores", "memory_bytes")
        if 0 < getattr(each.limit, name) < getattr(each.request, name)
    }
    if names:
        yield Grade.STOP, f"a container's limit is below its request: {some(names)}", "Raise the limit to the request."

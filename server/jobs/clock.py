"""Times of jobs and workers are told by the database's clock alone: clocks of machines differ, and jump."""

from __future__ import annotations

from datetime import timedelta

from django.db.models import Q
from django.db.models.expressions import CombinedExpression
from django.db.models.functions import Now


def before(seconds: float) -> CombinedExpression:
    """Return the moment so many seconds ago, as a statement's expression."""
    return Now() - timedelta(seconds=seconds)


def heard_of_within(seconds: float) -> Q:
    """Return the condition that who writes ``seen_at`` did so of late.

    A sign of life from the future is none once it is further off than that: the database's own clock was set back, and who is alive
    writes another one within seconds.
    """
    return Q(seen_at__gt=before(seconds), seen_at__lt=Now() + timedelta(seconds=seconds))

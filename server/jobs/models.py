"""What every row of background work carries: who computes it, and when that worker was last heard of."""

from __future__ import annotations

from django.db import models


class Work(models.Model):
    """A row that one worker at a time computes.

    ``worker`` names the claim that computes it now; ``seen_at`` is when it was last heard of; ``attempts`` counts claims.
    """

    attempts = models.PositiveSmallIntegerField(default=0)
    worker = models.CharField(max_length=36, blank=True)
    seen_at = models.DateTimeField(null=True)

    class Meta:
        """No table of its own."""

        abstract = True

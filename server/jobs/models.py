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


class TextStatus(models.TextChoices):
    """Where the reading of a text stands."""

    QUEUED = "queued"
    RUNNING = "running"
    DONE = "done"
    FAILED = "failed"


class TextWork(Work):
    """A row whose work is to read a text; ``content`` is the text, compressed, and is kept until it is read."""

    origin = models.CharField(max_length=200, blank=True)
    content = models.BinaryField(null=True)
    status = models.CharField(max_length=10, choices=TextStatus.choices, default=TextStatus.QUEUED)
    phase = models.CharField(max_length=40, blank=True)
    share = models.FloatField(default=0)
    stop_requested = models.BooleanField(default=False)
    message = models.CharField(max_length=400, blank=True)
    faults = models.JSONField(default=list)

    class Meta:
        """No table of its own."""

        abstract = True

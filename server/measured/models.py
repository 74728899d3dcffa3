"""Usage series and listings of clusters; once read they never change, studies point at them."""

from __future__ import annotations

from django.db import models

from accounts.models import User
from jobs.texts import TextWork


class Listing(models.Model):
    """A cluster as it ran when it was listed."""

    origin = models.CharField(max_length=200, blank=True)
    content = models.JSONField()
    nodes = models.PositiveIntegerField()
    read_by = models.ForeignKey(User, on_delete=models.PROTECT, related_name="+")
    read_at = models.DateTimeField(auto_now_add=True)


class UsageSet(TextWork):
    """Series read from one text, on one grid of time; the text itself is kept until a worker has read it.

    ``study_id`` is the study that it was read for, and the only one that may take it.
    """

    study_id = models.BigIntegerField(null=True, db_index=True)
    format = models.CharField(max_length=20, blank=True)
    replicas = models.JSONField(default=dict)
    start_s = models.BigIntegerField(default=0)
    step_s = models.PositiveIntegerField(default=60)
    steps = models.PositiveIntegerField(default=0)
    samples = models.PositiveBigIntegerField(default=0)
    left_out = models.JSONField(default=list)
    read_by = models.ForeignKey(User, on_delete=models.PROTECT, related_name="+")
    read_at = models.DateTimeField(auto_now_add=True)


class UsageSeries(models.Model):
    """Use of one resource by one workload; values are compressed 32-bit floats, NaN for a gap."""

    usage = models.ForeignKey(UsageSet, on_delete=models.CASCADE, related_name="series")
    workload = models.CharField(max_length=520)
    resource = models.CharField(max_length=10)
    total = models.BinaryField()
    busiest = models.BinaryField()
    replicas = models.FloatField()
    resets = models.PositiveIntegerField(default=0)
    from_totals = models.BooleanField(default=False)

    class Meta:
        """By workload; each resource once."""

        ordering = ("workload", "resource")
        constraints = (models.UniqueConstraint(fields=("usage", "workload", "resource"), name="series_once"),)

"""Fits that run and fits that are done; a finished fit never changes."""

from __future__ import annotations

from decimal import Decimal

from django.db import models

from accounts.models import User
from studies.models import Variant


class RunStatus(models.TextChoices):
    """Where a run stands."""

    QUEUED = "queued"
    RUNNING = "running"
    DONE = "done"
    FAILED = "failed"


class Run(models.Model):
    """A fit being computed: the exact inputs, and how far it is."""

    variant = models.ForeignKey(Variant, on_delete=models.CASCADE, related_name="runs")
    status = models.CharField(max_length=10, choices=RunStatus.choices, default=RunStatus.QUEUED)
    phase = models.CharField(max_length=40, blank=True)
    share = models.FloatField(default=0)
    cost_per_hour = models.DecimalField(max_digits=24, decimal_places=9, default=Decimal(0))
    floor_per_hour = models.DecimalField(max_digits=24, decimal_places=9, default=Decimal(0))
    stop_requested = models.BooleanField(default=False)
    problem = models.TextField()
    digest = models.CharField(max_length=64)
    inputs = models.CharField(max_length=64, blank=True, db_index=True)
    seed = models.PositiveIntegerField(default=0)
    message = models.TextField(blank=True)
    attempts = models.PositiveSmallIntegerField(default=0)
    created_by = models.ForeignKey(User, on_delete=models.PROTECT, related_name="+")
    created_at = models.DateTimeField(auto_now_add=True)
    finished_at = models.DateTimeField(null=True)

    class Meta:
        """Oldest first."""

        ordering = ("id",)


class Fit(models.Model):
    """A computed answer, with all it takes to compute it again; a run stores a quick one where it can, and the whole one.

    ``after`` is the answer that it started from.
    """

    run = models.ForeignKey(Run, on_delete=models.PROTECT, related_name="fits")
    after = models.ForeignKey("self", on_delete=models.SET_NULL, related_name="+", null=True)
    variant = models.ForeignKey(Variant, on_delete=models.CASCADE, related_name="fits")
    problem = models.TextField()
    digest = models.CharField(max_length=64)
    solution = models.TextField()
    status = models.CharField(max_length=12)
    cost_per_hour = models.DecimalField(max_digits=24, decimal_places=9)
    floor_per_hour = models.DecimalField(max_digits=24, decimal_places=9)
    core_version = models.CharField(max_length=40)
    seed = models.PositiveIntegerField()
    seconds = models.FloatField()
    created_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        """Oldest first."""

        ordering = ("id",)


class Question(models.TextChoices):
    """What can be asked of a variant beside its fit."""

    PROMISES = "promises"
    CONFLICT = "conflict"
    LEVELS = "levels"
    STEPS = "steps"
    SIZING = "sizing"
    FRONTIER = "frontier"
    REGIONS = "regions"
    SIMULATION = "simulation"


class Inquiry(models.Model):
    """A question that takes a while: what it is asked of, how far the answer is, and the answer as far as it is known.

    ``given`` are the texts that the worker computes from; ``inputs`` is the fingerprint of the variant they come from.
    """

    variant = models.ForeignKey(Variant, on_delete=models.CASCADE, related_name="inquiries")
    fit = models.ForeignKey(Fit, on_delete=models.CASCADE, related_name="inquiries", null=True)
    question = models.CharField(max_length=12, choices=Question.choices)
    status = models.CharField(max_length=10, choices=RunStatus.choices, default=RunStatus.QUEUED)
    phase = models.CharField(max_length=60, blank=True)
    share = models.FloatField(default=0)
    stop_requested = models.BooleanField(default=False)
    given = models.JSONField(default=dict)
    inputs = models.CharField(max_length=64)
    answer = models.JSONField(default=dict)
    message = models.TextField(blank=True)
    attempts = models.PositiveSmallIntegerField(default=0)
    created_by = models.ForeignKey(User, on_delete=models.PROTECT, related_name="+")
    created_at = models.DateTimeField(auto_now_add=True)
    finished_at = models.DateTimeField(null=True)

    class Meta:
        """Oldest first."""

        ordering = ("id",)

"""Requests for capacity and what became of them."""

from __future__ import annotations

from django.db import models

from accounts.models import User
from studies.models import Study


class IntakeStatus(models.TextChoices):
    """Where a request stands."""

    PENDING = "pending"
    TAKEN = "taken"
    DECLINED = "declined"
    WITHDRAWN = "withdrawn"


class Intake(models.Model):
    """A service owner's request; the form as filled in, and the outlook that was shown when it was handed in."""

    asked_by = models.ForeignKey(User, on_delete=models.PROTECT, related_name="intakes")
    asked_at = models.DateTimeField(auto_now_add=True)
    form = models.JSONField()
    note = models.CharField(max_length=1000, blank=True)
    outlook = models.JSONField(default=dict)
    status = models.CharField(max_length=10, choices=IntakeStatus.choices, default=IntakeStatus.PENDING)
    study = models.ForeignKey(Study, on_delete=models.SET_NULL, null=True, related_name="intakes")
    answer = models.CharField(max_length=1000, blank=True)
    decided_by = models.ForeignKey(User, on_delete=models.PROTECT, null=True, related_name="+")
    decided_at = models.DateTimeField(null=True)

    class Meta:
        """Oldest first."""

        ordering = ("id",)


class IntakeStep(models.Model):
    """One line of a request's history."""

    intake = models.ForeignKey(Intake, on_delete=models.CASCADE, related_name="steps")
    at = models.DateTimeField(auto_now_add=True)
    actor = models.ForeignKey(User, on_delete=models.PROTECT, related_name="+")
    status = models.CharField(max_length=10)
    words = models.CharField(max_length=1000, blank=True)

    class Meta:
        """Oldest first."""

        ordering = ("id",)

"""People with their role, and the trail of everything they changed."""

from __future__ import annotations

from django.contrib.auth.models import AbstractUser
from django.db import models


class Role(models.TextChoices):
    """What a person may do: an owner asks, a viewer reads, a planner changes, a lead changes and signs off."""

    OWNER = "owner"
    VIEWER = "viewer"
    PLANNER = "planner"
    LEAD = "lead"


class User(AbstractUser):
    """A person."""

    role = models.CharField(max_length=10, choices=Role.choices, default=Role.VIEWER)

    @property
    def shown_name(self) -> str:
        """Return the full name; the one to sign in with where none is known."""
        return self.get_full_name() or self.username


class AuditEntry(models.Model):
    """One mutation: who, when, which action, on what, with which input."""

    actor = models.ForeignKey(User, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField(auto_now_add=True)
    action = models.CharField(max_length=60)
    subject = models.CharField(max_length=120)
    detail = models.JSONField(default=dict)

    class Meta:
        """Newest last."""

        ordering = ("id",)
        indexes = (models.Index(fields=("subject",)),)

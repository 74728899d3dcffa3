"""Starters of the house: shapes of studies with blanks, in versions that never change."""

from __future__ import annotations

from django.db import models

from accounts.models import User
from rombel.starters import Answers, Shape, read_shape
from studies.models import Study


class Starter(models.Model):
    """A starter by its name; one that was put away is no longer offered, and its studies still know it."""

    name = models.CharField(max_length=80, unique=True)
    note = models.CharField(max_length=400, blank=True)
    put_away_at = models.DateTimeField(null=True)

    class Meta:
        """By name."""

        ordering = ("name",)


class StarterVersion(models.Model):
    """A version of a starter: ``shape`` as plain values of the core's format; it never changes, a newer one follows it."""

    starter = models.ForeignKey(Starter, on_delete=models.CASCADE, related_name="versions")
    number = models.PositiveIntegerField()
    shape = models.JSONField()
    why = models.CharField(max_length=400, blank=True)
    made_by = models.ForeignKey(User, on_delete=models.PROTECT, related_name="+")
    made_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        """Oldest first."""

        ordering = ("number",)
        constraints = (models.UniqueConstraint(fields=("starter", "number"), name="version_once"),)

    def read(self) -> Shape:
        """Return the shape."""
        return read_shape(self.shape)


class StarterUse(models.Model):
    """From which version a study was made, and what was filled in."""

    study = models.OneToOneField(Study, on_delete=models.CASCADE, related_name="starter_use")
    version = models.ForeignKey(StarterVersion, on_delete=models.PROTECT, related_name="uses")
    answers = models.JSONField()
    used_by = models.ForeignKey(User, on_delete=models.PROTECT, related_name="+")
    used_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        """Oldest first."""

        ordering = ("id",)

    def said(self) -> Answers:
        """Return what was filled in."""
        return Answers(**self.answers)

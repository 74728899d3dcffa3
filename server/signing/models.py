"""Plans handed in to be signed off, frozen at the figures that were seen, and what leads said."""

from __future__ import annotations

from django.db import models

from accounts.models import User
from rombel.signing import SeenPlan, digest_of_seen, read_seen
from runs.models import Fit
from studies.models import Study, Variant


class State(models.TextChoices):
    """Where a plan that was handed in stands; only the first may become another one, but for a signed one that is superseded."""

    WAITING = "waiting"
    SIGNED = "signed"
    RETURNED = "returned"
    WITHDRAWN = "withdrawn"
    REPLACED = "replaced"
    SUPERSEDED = "superseded"


class SignOff(models.Model):
    """A plan handed in: ``seen`` is what was seen of it (see ``rombel.signing``) under its fingerprint, and never changes.

    ``needed`` says how many leads sign. A newer signed plan of the study supersedes an older one; handing in a variant anew replaces
    what waits of it.
    """

    study = models.ForeignKey(Study, on_delete=models.CASCADE, related_name="sign_offs")
    variant = models.ForeignKey(Variant, on_delete=models.CASCADE, related_name="sign_offs")
    # Whoever deletes the whole study may; nothing else takes a plan away that somebody was asked to sign.
    fit = models.ForeignKey(Fit, on_delete=models.RESTRICT, related_name="sign_offs")
    variant_name = models.CharField(max_length=80)
    seen = models.JSONField()
    digest = models.CharField(max_length=64)
    needed = models.PositiveSmallIntegerField()
    words = models.CharField(max_length=1000)
    asked_by = models.ForeignKey(User, on_delete=models.PROTECT, related_name="+")
    asked_at = models.DateTimeField(auto_now_add=True)
    state = models.CharField(max_length=10, choices=State.choices, default=State.WAITING)
    closed_at = models.DateTimeField(null=True)

    class Meta:
        """Oldest first; one of a study is signed, one of a variant waits."""

        ordering = ("id",)
        constraints = (
            models.UniqueConstraint(fields=("study",), condition=models.Q(state=State.SIGNED), name="one_signed_plan"),
            models.UniqueConstraint(
                fields=("variant",), condition=models.Q(state=State.WAITING), name="one_waiting_plan"
            ),
        )

    @property
    def plan(self) -> SeenPlan:
        """Return what was seen."""
        return read_seen(self.seen)

    @property
    def is_whole(self) -> bool:
        """Return whether what is stored is still what was handed in."""
        return digest_of_seen(self.seen) == self.digest


class Signature(models.Model):
    """What a lead said of a plan, and whether that signs or returns it."""

    sign_off = models.ForeignKey(SignOff, on_delete=models.CASCADE, related_name="signatures")
    by = models.ForeignKey(User, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField(auto_now_add=True)
    signs = models.BooleanField()
    words = models.CharField(max_length=1000, blank=True)

    class Meta:
        """Oldest first; one of each lead."""

        ordering = ("id",)
        constraints = (models.UniqueConstraint(fields=("sign_off", "by"), name="signs_once"),)

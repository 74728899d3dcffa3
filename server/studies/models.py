"""Studies with their demand and variants, and the edits that can be undone."""

from __future__ import annotations

import uuid
from typing import ClassVar

from django.db import models

from accounts.models import User
from catalogue.models import RateSheet, Region
from jobs.texts import TextWork
from measured.models import Listing, UsageSet


def even_days() -> dict[str, int]:
    """Return the shares of a month's hours, in percent, that a study starts with."""
    return {"trough": 30, "usual": 55, "peak": 15}


class StudyRole(models.TextChoices):
    """What a person may do with one study: each may what the one before may. The house role stays the most that anybody may do."""

    READER = "reader"
    EDITOR = "editor"
    OWNER = "owner"


class Others(models.TextChoices):
    """What people may do with a study who are not named in it: nothing (it is not there for them), read, or edit."""

    NOTHING = "nothing"
    READER = "reader"
    EDITOR = "editor"


class Study(models.Model):
    """One planning question, kept as a whole."""

    name = models.CharField(max_length=120, unique=True)
    organisation = models.CharField(max_length=120, blank=True)
    currency = models.CharField(max_length=3, default="EUR")
    rates = models.ForeignKey(RateSheet, on_delete=models.PROTECT, null=True, related_name="+")
    created_by = models.ForeignKey(User, on_delete=models.PROTECT, related_name="+")
    created_at = models.DateTimeField(auto_now_add=True)
    growth_percent = models.PositiveSmallIntegerField(default=0)
    level_shares = models.JSONField(default=even_days)
    events = models.JSONField(default=list)
    usage = models.ForeignKey(UsageSet, on_delete=models.PROTECT, null=True, related_name="+")
    journeys = models.JSONField(default=list)
    dependencies = models.JSONField(default=list)
    failures = models.JSONField(default=dict)
    drills = models.JSONField(default=list)
    rehearsal = models.JSONField(default=dict)
    running = models.ForeignKey(Listing, on_delete=models.PROTECT, null=True, related_name="+")
    tags = models.JSONField(default=list)
    archived_at = models.DateTimeField(null=True)
    others = models.CharField(max_length=10, choices=Others.choices, default=Others.EDITOR)


class Share(models.Model):
    """A person who is named in a study, and what they may do with it."""

    study = models.ForeignKey(Study, on_delete=models.CASCADE, related_name="shares")
    person = models.ForeignKey(User, on_delete=models.CASCADE, related_name="+")
    role = models.CharField(max_length=10, choices=StudyRole.choices)

    class Meta:
        """In the order they were named; each once."""

        ordering = ("id",)
        constraints = (models.UniqueConstraint(fields=("study", "person"), name="person_named_once"),)


class Survive(models.TextChoices):
    """How the loss of any one zone is survived."""

    NONE = "none"
    STANDING = "standing"
    LANDING = "landing"
    GROWING = "growing"


def only_on_demand() -> list[str]:
    """Return the kinds of purchase a variant starts with."""
    return ["on-demand"]


class PresentVariants(models.Manager["Variant"]):
    """Variants that were not taken out of their study."""

    def get_queryset(self) -> models.QuerySet[Variant]:
        """Return those that are there."""
        return super().get_queryset().filter(removed_at=None)


class Variant(models.Model):
    """The same demand under other choices; no families listed: every one that is sold.

    ``came_from`` is what it was copied from. One that was taken out stays with its fits, so that taking it out can be undone.
    """

    study = models.ForeignKey(Study, on_delete=models.CASCADE, related_name="variants")
    name = models.CharField(max_length=80)
    position = models.PositiveSmallIntegerField()
    is_reference = models.BooleanField(default=False)
    region = models.ForeignKey(Region, on_delete=models.PROTECT, null=True)
    zones = models.JSONField(default=list)
    survive_zone = models.CharField(max_length=10, choices=Survive.choices, default=Survive.NONE)
    lost_nodes = models.PositiveSmallIntegerField(default=0)
    survive_nodes = models.CharField(max_length=10, choices=Survive.choices, default=Survive.LANDING)
    most_pools = models.PositiveSmallIntegerField(null=True)
    fewest_nodes_per_pool = models.PositiveSmallIntegerField(null=True)
    fewest_nodes_per_zone = models.PositiveSmallIntegerField(null=True)
    equal_zones = models.BooleanField(default=False)
    headroom = models.JSONField(default=dict)
    headroom_replicas = models.PositiveSmallIntegerField(default=0)
    most_pods_per_node = models.PositiveSmallIntegerField(null=True)
    purchases = models.JSONField(default=only_on_demand)
    families = models.JSONField(default=list)
    family_rules = models.JSONField(default=dict)
    control_plane_members = models.PositiveSmallIntegerField(default=1)
    tier = models.CharField(max_length=80, blank=True)
    budget_per_month = models.DecimalField(max_digits=18, decimal_places=2, null=True)
    level = models.CharField(max_length=10, default="peak")
    sizes = models.JSONField(default=dict)
    beyond = models.JSONField(default=dict)
    limits = models.JSONField(default=list)
    beside = models.JSONField(default=dict)
    addresses = models.JSONField(default=dict)
    build = models.JSONField(default=dict)
    note = models.CharField(max_length=400, blank=True)
    came_from = models.ForeignKey("self", on_delete=models.SET_NULL, null=True, related_name="+")
    removed_at = models.DateTimeField(null=True)

    objects = PresentVariants()
    every: ClassVar[models.Manager[Variant]] = models.Manager()

    class Meta:
        """In the planner's order; one reference a study."""

        ordering = ("position", "pk")
        constraints = (
            models.UniqueConstraint(
                fields=("study", "name"), condition=models.Q(removed_at=None), name="variant_named_once"
            ),
            models.UniqueConstraint(fields=("study",), condition=models.Q(is_reference=True), name="one_reference"),
        )


class Workload(models.Model):
    """One row of the demand sheet."""

    key = models.UUIDField(primary_key=True, default=uuid.uuid4)
    study = models.ForeignKey(Study, on_delete=models.CASCADE, related_name="workloads")
    position = models.PositiveIntegerField()
    namespace = models.CharField(max_length=253)
    name = models.CharField(max_length=253)
    kind = models.CharField(max_length=12)
    replicas = models.PositiveIntegerField()
    cpu_millicores = models.PositiveBigIntegerField()
    memory_bytes = models.PositiveBigIntegerField()
    zone_skew = models.PositiveIntegerField(null=True)
    most_per_node = models.PositiveIntegerField(null=True)
    node_labels = models.JSONField(default=dict)
    owner = models.CharField(max_length=120, blank=True)
    promised = models.BooleanField(default=True)
    survive_zone = models.CharField(max_length=10, null=True)
    labels = models.JSONField(default=dict)
    interruptible_percent = models.PositiveSmallIntegerField(default=0)
    journey = models.CharField(max_length=253, blank=True)
    service = models.CharField(max_length=253, blank=True)
    together = models.CharField(max_length=253, blank=True)
    priority = models.IntegerField(default=0)
    sizing = models.JSONField(default=dict)
    pod = models.JSONField(default=dict)
    partitioned = models.JSONField(null=True)
    budget = models.JSONField(null=True)
    provenance = models.JSONField(default=dict)
    serving = models.CharField(max_length=10, blank=True)
    traffic = models.JSONField(default=list)

    class Meta:
        """In the sheet's order; names once."""

        ordering = ("position", "key")
        constraints = (
            models.UniqueConstraint(
                fields=("study", "namespace", "name"), name="workload_once", deferrable=models.Deferrable.DEFERRED
            ),
        )


class StatedDeviation(models.Model):
    """Why a variant leaves a house rule: who said so, when, and the value it was said of.

    ``said_by``: who said it elsewhere, where it came with a study's file; whoever brought that stands for it here.
    """

    variant = models.ForeignKey(Variant, on_delete=models.CASCADE, related_name="deviations")
    rule = models.CharField(max_length=40)
    chosen = models.CharField(max_length=400)
    why = models.CharField(max_length=400)
    stated_by = models.ForeignKey(User, on_delete=models.PROTECT, related_name="+")
    stated_at = models.DateTimeField(auto_now_add=True)
    said_by = models.CharField(max_length=150, blank=True)

    class Meta:
        """Oldest first; the last of a rule counts."""

        ordering = ("id",)


class AcceptedFinding(models.Model):
    """A finding of pre-flight that somebody accepted, with the words it had; in other words it is another finding.

    ``said_by`` as above.
    """

    variant = models.ForeignKey(Variant, on_delete=models.CASCADE, related_name="accepted_findings")
    code = models.CharField(max_length=40)
    text = models.CharField(max_length=1000)
    why = models.CharField(max_length=400)
    accepted_by = models.ForeignKey(User, on_delete=models.PROTECT, related_name="+")
    accepted_at = models.DateTimeField(auto_now_add=True)
    said_by = models.CharField(max_length=150, blank=True)

    class Meta:
        """Each once."""

        ordering = ("id",)
        constraints = (models.UniqueConstraint(fields=("variant", "code", "text"), name="finding_once"),)


class Edit(models.Model):
    """A change that can be undone, a revision of the study: for each thing its fields before and after (null: it was not there)."""

    study = models.ForeignKey(Study, on_delete=models.CASCADE, related_name="edits")
    actor = models.ForeignKey(User, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField(auto_now_add=True)
    summary = models.CharField(max_length=200)
    why = models.CharField(max_length=400, blank=True)
    changes = models.JSONField()
    undone = models.BooleanField(default=False)

    class Meta:
        """Oldest first."""

        ordering = ("id",)


class LargeText(TextWork):
    """A text of demand that is too large to be read while somebody waits for an answer.

    ``takes`` says whether its rows become the study's, or only what they would do is told in ``result``.
    """

    study = models.ForeignKey(Study, on_delete=models.CASCADE, related_name="+")
    asked_by = models.ForeignKey(User, on_delete=models.PROTECT, related_name="+")
    asked_at = models.DateTimeField(auto_now_add=True)
    format = models.CharField(max_length=20)
    mapped = models.JSONField(default=dict)
    takes = models.BooleanField(default=False)
    remove_gone = models.BooleanField(default=False)
    result = models.JSONField(null=True)

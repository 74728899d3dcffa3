"""Builds of clusters, followed from the first request to the end, and what people said of what differs."""

from __future__ import annotations

import uuid

from django.db import models

from accounts.models import User
from catalogue.models import Provider
from jobs.models import Worked
from runs.models import Fit
from studies.models import Study, Variant


class Goal(models.TextChoices):
    """What a build is for: a plan, one minor version more, new nodes in place of all, or that nothing stands any more."""

    PLAN = "plan"
    UPGRADE = "upgrade"
    REPLACE = "replace"
    NOTHING = "nothing"


class Wish(models.TextChoices):
    """What the service is still to be told of a build; empty: nothing."""

    PAUSE = "pause"
    RESUME = "resume"
    RETRY = "retry"
    TAKE_BACK = "take-back"


class ClusterBuild(Worked):
    """A build that the provider was asked for; what is asked never changes, what is seen of it does.

    Attributes
    ----------
    key
        Under which the service knows it: asked for again it is found, not begun twice.
    goal, wanted, volumes
        What it is for, what is to stand, as neutral JSON, and whether volumes go with a cluster that is taken away.
    steps
        What an operator does outside of it: in words, and who ticked it (empty: nobody).
    changes
        The list that it works off, as it was shown: for each part what is done, why, and what it takes.
    workloads
        What runs on it in the end: objects of the API, and where replicas stand.
    why
        Why it was begun without a signature; empty: the plan was signed.
    wish
        What the service is to be told next.
    state, items, outputs
        As the service told last: where it stands, each part's state, and addresses and names that came of it, no secret among them.
    expected
        Seconds from when it was last reckoned to the end, with their range.
    seen
        When the service was last heard of.

    """

    study = models.ForeignKey(Study, on_delete=models.CASCADE, related_name="builds")
    variant = models.ForeignKey(Variant, on_delete=models.CASCADE, related_name="builds")
    # A plan that was built is kept as long as its study.
    fit = models.ForeignKey(Fit, on_delete=models.RESTRICT, related_name="builds")
    variant_name = models.CharField(max_length=80)
    cluster = models.CharField(max_length=120)
    provider = models.CharField(max_length=120)
    key = models.UUIDField(default=uuid.uuid4, unique=True)
    wanted = models.JSONField()
    goal = models.CharField(max_length=10, choices=Goal.choices, default=Goal.PLAN)
    volumes = models.BooleanField(default=False)
    steps = models.JSONField(default=list)
    changes = models.JSONField()
    workloads = models.JSONField(default=dict)
    why = models.CharField(max_length=400, blank=True)
    wish = models.CharField(max_length=10, choices=Wish.choices, blank=True)
    state = models.CharField(max_length=20, blank=True)
    items = models.JSONField(default=dict)
    outputs = models.JSONField(default=dict)
    expected = models.JSONField(null=True)
    seen = models.DateTimeField(null=True)
    started_by = models.ForeignKey(User, on_delete=models.PROTECT, related_name="+")
    started_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        """Oldest first."""

        ordering = ("id",)

    @property
    def address(self) -> str:
        """Return where its provider's service answers now; empty: it has none any more."""
        found = Provider.objects.filter(name=self.provider).first()
        return found.service_url if found is not None else ""

    @property
    def removes(self) -> bool:
        """Return whether the cluster is taken away."""
        return self.goal == Goal.NOTHING


class DriftWord(models.Model):
    """That the plan is right where something differs; said of both sides as they were, and of no other ones."""

    study = models.ForeignKey(Study, on_delete=models.CASCADE, related_name="drift_words")
    kind = models.CharField(max_length=20)
    where = models.CharField(max_length=520)
    planned = models.CharField(max_length=400)
    actual = models.CharField(max_length=400)
    by = models.ForeignKey(User, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        """Each once."""

        ordering = ("id",)
        constraints = (
            models.UniqueConstraint(fields=("study", "kind", "where", "planned", "actual"), name="drift_word_once"),
        )

"""Fits that run and fits that are done; a finished fit never changes."""

from __future__ import annotations

import hashlib
from decimal import Decimal
from functools import cached_property

from django.db import models, transaction

from accounts.models import User
from jobs.models import Worked
from studies.models import Variant


class StatedProblem(models.Model):
    """The text of a problem, kept once however many runs and answers are of it, and read only by who computes or hands it out."""

    digest = models.CharField(max_length=64, unique=True)
    text = models.TextField()

    @classmethod
    def of(cls, text: str) -> StatedProblem:
        """Return the stored text."""
        digest = hashlib.sha256(text.encode()).hexdigest()
        # Locked until the end of the transaction: what is about to be used again is not dropped meanwhile.
        with transaction.atomic():
            return cls.objects.select_for_update().get_or_create(digest=digest, defaults={"text": text})[0]


class Run(Worked):
    """A fit being computed: the exact inputs, and how far it is."""

    variant = models.ForeignKey(Variant, on_delete=models.CASCADE, related_name="runs")
    cost_per_hour = models.DecimalField(max_digits=24, decimal_places=9, default=Decimal(0))
    floor_per_hour = models.DecimalField(max_digits=24, decimal_places=9, default=Decimal(0))
    stated = models.ForeignKey(StatedProblem, on_delete=models.PROTECT, related_name="+")
    digest = models.CharField(max_length=64)
    inputs = models.CharField(max_length=64, blank=True, db_index=True)
    seed = models.PositiveIntegerField(default=0)

    class Meta:
        """Oldest first."""

        ordering = ("id",)

    @property
    def problem(self) -> str:
        """Return the text of the problem."""
        return self.stated.text

    @cached_property
    def answers(self) -> int:
        """Return how many answers it has found; a statement that counts them along with the row has the same name for it."""
        return self.fits.count()


class Fit(models.Model):
    """A computed answer, with all it takes to compute it again; a run stores a quick one where it can, and the whole one.

    ``after`` is the answer that it started from; ``proved_per_hour`` the floor that the prices in it prove to the checker, None where
    that was not worked out: for quick answers. One that is ``kept`` was handed in to be signed, and is never dropped.
    """

    run = models.ForeignKey(Run, on_delete=models.CASCADE, related_name="fits")
    after = models.ForeignKey("self", on_delete=models.SET_NULL, related_name="+", null=True)
    variant = models.ForeignKey(Variant, on_delete=models.CASCADE, related_name="fits")
    stated = models.ForeignKey(StatedProblem, on_delete=models.PROTECT, related_name="+")
    digest = models.CharField(max_length=64)
    solution = models.TextField()
    status = models.CharField(max_length=12)
    cost_per_hour = models.DecimalField(max_digits=24, decimal_places=9)
    floor_per_hour = models.DecimalField(max_digits=24, decimal_places=9)
    proved_per_hour = models.DecimalField(max_digits=24, decimal_places=9, null=True)
    core_version = models.CharField(max_length=40)
    seed = models.PositiveIntegerField()
    seconds = models.FloatField()
    kept = models.BooleanField(default=False)
    # What the list of studies tells of the plan, as it was when somebody last looked at it; None: nobody has yet.
    fees_per_month = models.DecimalField(max_digits=20, decimal_places=2, null=True)
    blockers = models.PositiveSmallIntegerField(null=True)
    warnings = models.PositiveSmallIntegerField(null=True)
    created_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        """Oldest first."""

        ordering = ("id",)

    @property
    def problem(self) -> str:
        """Return the text of the problem."""
        return self.stated.text


class Downtime(models.Model):
    """How long journeys are down over a plan, under certain promises; neither ever changes, and the tables behind it take a while.

    ``inputs`` is the fingerprint of what is promised; ``minutes`` a month, by journey.
    """

    fit = models.ForeignKey(Fit, on_delete=models.CASCADE, related_name="downtimes")
    inputs = models.CharField(max_length=64)
    minutes = models.JSONField()

    class Meta:
        """One for each."""

        constraints = (models.UniqueConstraint(fields=("fit", "inputs"), name="downtime_once"),)


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
    DRILLS = "drills"
    REHEARSAL = "rehearsal"
    LIMITS = "limits"
    PER_USE = "per_use"
    WAYS = "ways"


class Inquiry(Worked):
    """A question that takes a while: what it is asked of, how far the answer is, and the answer as far as it is known.

    ``given`` is what the worker computes from beside the fit; ``inputs`` is the fingerprint of the variant it comes from.
    """

    variant = models.ForeignKey(Variant, on_delete=models.CASCADE, related_name="inquiries")
    fit = models.ForeignKey(Fit, on_delete=models.CASCADE, related_name="inquiries", null=True)
    question = models.CharField(max_length=12, choices=Question.choices)
    given = models.JSONField(default=dict)
    inputs = models.CharField(max_length=64)
    answer = models.JSONField(default=dict)

    class Meta:
        """Oldest first."""

        ordering = ("id",)


class ActualMonth(models.Model):
    """What a provider billed in a month for what a variant plans; handed in anew it takes the place of what was there.

    ``charges`` are the sums by what was bought, how, and in which zone; ``lines`` says of how many lines of the file.
    """

    variant = models.ForeignKey(Variant, on_delete=models.CASCADE, related_name="actual_months")
    month = models.CharField(max_length=7)
    origin = models.CharField(max_length=200, blank=True)
    lines = models.PositiveIntegerField()
    charges = models.JSONField()
    taken_by = models.ForeignKey(User, on_delete=models.PROTECT, related_name="+")
    taken_at = models.DateTimeField(auto_now=True)

    class Meta:
        """The newest month first; each once."""

        ordering = ("-month",)
        constraints = (models.UniqueConstraint(fields=("variant", "month"), name="month_once"),)


class Version(models.Model):
    """Which state of a study its answers show: another number after every change of what they are made from, its price list and rules apart.

    The database itself counts it, at the end of the transaction that changes anything: whoever writes cannot forget it. ``subject`` is the
    study's number; 0 is what all studies share: house rules, price lists, rates and the names of people.
    """

    subject = models.PositiveBigIntegerField(primary_key=True)
    number = models.BigIntegerField()
    counted_in = models.BigIntegerField(default=0)

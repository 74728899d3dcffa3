"""Sweeps with their points; what a point was answered never changes."""

from __future__ import annotations

from decimal import Decimal

from django.db import models

from jobs.models import Worked
from runs.models import Fit
from studies.models import Study, Variant


class Sweep(Worked):
    """A question over many fits, as it was asked: in a sentence, and as the plan that the sentence made.

    ``plan`` holds also what was drawn at random. ``with_fees``: each variant's fees stand in its cost; a sweep over regions has none, as
    another region's are not known.
    """

    study = models.ForeignKey(Study, on_delete=models.CASCADE, related_name="sweeps")
    variant = models.ForeignKey(Variant, on_delete=models.CASCADE, related_name="sweeps")
    sentence = models.TextField()
    plan = models.JSONField()
    currency = models.CharField(max_length=3)
    with_fees = models.BooleanField()

    class Meta:
        """Oldest first."""

        ordering = ("id",)


class SweepBase(models.Model):
    """What a variant asks in a region, taken when the sweep was asked: later edits change none of its points.

    Attributes
    ----------
    variant_name, region
        As the plan names them; the region is empty where it is the variant's own.
    given
        Supply, targets and demand; null where there is none.
    refused
        Why there is none.
    fit
        An answer that its fits may start from.
    fees_per_month
        What is paid beside nodes, in the study's currency.

    """

    sweep = models.ForeignKey(Sweep, on_delete=models.CASCADE, related_name="bases")
    variant_name = models.CharField(max_length=200)
    region = models.CharField(max_length=200, blank=True)
    given = models.JSONField(null=True)
    refused = models.TextField(blank=True)
    fit = models.ForeignKey(Fit, on_delete=models.SET_NULL, related_name="+", null=True)
    fees_per_month = models.DecimalField(max_digits=24, decimal_places=12, default=Decimal(0))

    class Meta:
        """One for each."""

        constraints = (models.UniqueConstraint(fields=("sweep", "variant_name", "region"), name="base_once"),)


class SweepPoint(models.Model):
    """The answer at one point.

    Attributes
    ----------
    number
        Of the point in its plan.
    digest
        Fingerprint of the problem; empty where there is none.
    status
        As a fit has it, ``refused`` where there is no problem, ``failed`` where the answer broke a rule and was not taken.
    cost_per_hour, floor_per_hour
        Of its nodes.
    nodes
        Instance type, purchase, zone and number of each pool's nodes.
    reason
        Why there is no plan.
    known
        Taken from an answer to the very same problem that was there already.
    seconds
        That it took.

    """

    sweep = models.ForeignKey(Sweep, on_delete=models.CASCADE, related_name="points")
    number = models.PositiveIntegerField()
    digest = models.CharField(max_length=64, blank=True, db_index=True)
    status = models.CharField(max_length=12)
    cost_per_hour = models.DecimalField(max_digits=24, decimal_places=9, default=Decimal(0))
    floor_per_hour = models.DecimalField(max_digits=24, decimal_places=9, default=Decimal(0))
    nodes = models.JSONField(default=list)
    reason = models.TextField(blank=True)
    known = models.BooleanField(default=False)
    seconds = models.FloatField(default=0)
    core_version = models.CharField(max_length=40)

    class Meta:
        """In the order of the plan; each once."""

        ordering = ("number",)
        constraints = (models.UniqueConstraint(fields=("sweep", "number"), name="point_once"),)

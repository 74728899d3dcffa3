"""What providers sell, in dated editions that never change, and price lists that were read but not yet taken."""

from __future__ import annotations

from decimal import Decimal

from django.db import models

from accounts.models import User
from jobs.models import Worked


class Provider(models.Model):
    """A provider; ``service_url`` is where its offer service answers, empty where it has none."""

    name = models.CharField(max_length=80, unique=True)
    service_url = models.CharField(max_length=200, blank=True)


class Edition(models.Model):
    """A price list as taken on a day; studies keep the edition they were computed with.

    ``of_file``: it came with a study's file, holds the regions of that study alone, and is offered to no other.
    """

    provider = models.ForeignKey(Provider, on_delete=models.CASCADE, related_name="editions")
    dated = models.DateField()
    currency = models.CharField(max_length=3)
    source = models.CharField(max_length=20)
    taken_at = models.DateTimeField(auto_now_add=True)
    taken_by = models.ForeignKey(User, on_delete=models.PROTECT, null=True, related_name="+")
    carried_over = models.JSONField(default=list)
    network = models.JSONField(default=dict)
    of_file = models.BooleanField(default=False)

    class Meta:
        """Oldest first; of one day, in the order taken."""

        ordering = ("dated", "id")


class Region(models.Model):
    """A region of an edition."""

    edition = models.ForeignKey(Edition, on_delete=models.CASCADE, related_name="regions")
    name = models.CharField(max_length=80)
    note = models.CharField(max_length=200, blank=True)

    class Meta:
        """In the provider's order; names once in an edition."""

        ordering = ("id",)
        constraints = (models.UniqueConstraint(fields=("edition", "name"), name="region_once"),)


class Zone(models.Model):
    """An availability zone."""

    region = models.ForeignKey(Region, on_delete=models.CASCADE, related_name="zones")
    name = models.CharField(max_length=80)
    position = models.PositiveSmallIntegerField()

    class Meta:
        """In the provider's order."""

        ordering = ("position",)
        constraints = (models.UniqueConstraint(fields=("region", "name"), name="zone_once"),)


class InstanceType(models.Model):
    """A size of node, as an edition describes it."""

    edition = models.ForeignKey(Edition, on_delete=models.CASCADE, related_name="types")
    name = models.CharField(max_length=80)
    family = models.CharField(max_length=80)
    vcpu = models.PositiveIntegerField()
    memory_bytes = models.PositiveBigIntegerField()
    architecture = models.CharField(max_length=80)
    most_pods = models.PositiveIntegerField()
    accelerators = models.PositiveBigIntegerField(default=0)
    disk_bytes = models.PositiveBigIntegerField(default=0)
    most_volumes = models.PositiveIntegerField(null=True)
    network_mbps = models.PositiveIntegerField(null=True)
    resources = models.JSONField(default=dict)

    class Meta:
        """Families together, small before large; names once in an edition."""

        ordering = ("family", "vcpu", "name")
        constraints = (models.UniqueConstraint(fields=("edition", "name"), name="type_once"),)


class Offer(models.Model):
    """An instance type for sale in a zone."""

    zone = models.ForeignKey(Zone, on_delete=models.CASCADE, related_name="offers")
    instance_type = models.ForeignKey(InstanceType, on_delete=models.CASCADE, related_name="offers")
    purchase = models.CharField(max_length=16, default="on-demand")
    price_per_hour = models.DecimalField(max_digits=18, decimal_places=9)
    most_nodes = models.PositiveIntegerField(null=True)
    interruptions_per_hour = models.DecimalField(max_digits=12, decimal_places=9, null=True)
    in_stock = models.BooleanField(default=True)

    class Meta:
        """One offer for each zone, type and kind of purchase; prices above zero."""

        constraints = (
            models.UniqueConstraint(fields=("zone", "instance_type", "purchase"), name="offer_once"),
            models.CheckConstraint(condition=models.Q(price_per_hour__gt=0), name="price_above_zero"),
        )


class Disk(models.Model):
    """A kind of disk or volume: on a node, or zonal."""

    edition = models.ForeignKey(Edition, on_delete=models.CASCADE, related_name="disks")
    name = models.CharField(max_length=80)
    scope = models.CharField(max_length=8)
    price_per_gib_month = models.DecimalField(max_digits=18, decimal_places=9)


class Tier(models.Model):
    """A tier of control plane: members, fee, and the uptime promised for its API."""

    edition = models.ForeignKey(Edition, on_delete=models.CASCADE, related_name="tiers")
    name = models.CharField(max_length=80)
    members = models.PositiveSmallIntegerField()
    price_per_hour = models.DecimalField(max_digits=18, decimal_places=9)
    uptime = models.DecimalField(max_digits=14, decimal_places=12, null=True)
    spans_zones = models.BooleanField(default=False)

    class Meta:
        """In the provider's order."""

        ordering = ("id",)


class Fee(models.Model):
    """A fee beside the nodes: gateways, addresses, load balancers, licences, traffic."""

    edition = models.ForeignKey(Edition, on_delete=models.CASCADE, related_name="fees")
    name = models.CharField(max_length=80)
    unit = models.CharField(max_length=80)
    price = models.DecimalField(max_digits=18, decimal_places=9)

    class Meta:
        """In the provider's order."""

        ordering = ("id",)


class Term(models.Model):
    """A way to commit: how long it binds, what is paid at once, and at which share of the price on demand."""

    edition = models.ForeignKey(Edition, on_delete=models.CASCADE, related_name="terms")
    name = models.CharField(max_length=80)
    scope = models.CharField(max_length=16)
    months = models.PositiveSmallIntegerField()
    price_share = models.DecimalField(max_digits=12, decimal_places=9)
    upfront_share = models.DecimalField(max_digits=12, decimal_places=9, default=Decimal(0))
    families = models.JSONField(default=list)

    class Meta:
        """In the provider's order."""

        ordering = ("id",)


class PerUse(models.Model):
    """Replicas that are billed by the second without a node: prices, sizes as pairs of millicores and bytes, least billed time."""

    edition = models.ForeignKey(Edition, on_delete=models.CASCADE, related_name="per_use")
    name = models.CharField(max_length=80)
    vcpu_second = models.DecimalField(max_digits=18, decimal_places=9)
    gib_second = models.DecimalField(max_digits=18, decimal_places=9)
    sizes = models.JSONField()
    architecture = models.CharField(max_length=80)
    least_s = models.PositiveIntegerField(default=0)

    class Meta:
        """In the provider's order."""

        ordering = ("id",)


class SupportedVersion(models.Model):
    """A minor version of the platform that is sold, and until when it is supported (null: not stated)."""

    edition = models.ForeignKey(Edition, on_delete=models.CASCADE, related_name="versions")
    version = models.CharField(max_length=20)
    ends = models.DateField(null=True)

    class Meta:
        """In the provider's order."""

        ordering = ("id",)


class SharedQuota(models.Model):
    """The most of something over several offers of a region, named as the region is; empty: all families, zones, kinds of purchase."""

    edition = models.ForeignKey(Edition, on_delete=models.CASCADE, related_name="quotas")
    region = models.CharField(max_length=80)
    name = models.CharField(max_length=80)
    most = models.PositiveIntegerField()
    unit = models.CharField(max_length=8)
    family = models.CharField(max_length=80, blank=True)
    zone = models.CharField(max_length=80, blank=True)
    purchase = models.CharField(max_length=16, blank=True)

    class Meta:
        """In the provider's order."""

        ordering = ("id",)


class Outcome(models.TextChoices):
    """What came of the reading of a price list."""

    READY = "ready"
    PARTIAL = "partial"
    FAILED = "failed"
    TAKEN = "taken"
    DISCARDED = "discarded"


OPEN = (Outcome.READY, Outcome.PARTIAL)
"""Outcomes that wait to be taken."""


class Reading(Worked):
    """A price list being read, or read and waiting to be taken: nothing of it counts before that.

    ``base`` is the edition it is compared with; ``missing`` lists the regions that could not be read; ``outcome`` is empty while it is
    under way.
    """

    provider = models.ForeignKey(Provider, on_delete=models.CASCADE, related_name="readings")
    base = models.ForeignKey(Edition, on_delete=models.SET_NULL, null=True, related_name="+")
    source = models.CharField(max_length=20)
    outcome = models.CharField(max_length=10, choices=Outcome.choices, blank=True)
    pages = models.PositiveIntegerField(default=0)
    retries = models.PositiveIntegerField(default=0)
    document = models.JSONField(null=True)
    missing = models.JSONField(default=list)
    dated = models.DateField(null=True)
    changes = models.JSONField(default=list)
    change_count = models.PositiveIntegerField(default=0)
    created_by = models.ForeignKey(User, on_delete=models.PROTECT, related_name="+")
    created_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        """Newest last; a provider's service is read once at a time."""

        ordering = ("id",)
        constraints = (
            models.UniqueConstraint(fields=("provider",), condition=models.Q(outcome=""), name="one_reading_at_a_time"),
        )

    @property
    def status(self) -> str:
        """Return what came of it, or where its job stands."""
        return self.outcome or self.job.status


class RateSheet(models.Model):
    """What one unit of each currency is worth in the base, on a day; ``worth`` holds decimals as text.

    ``of_file``: it came with a study's file, and is that study's alone.
    """

    dated = models.DateField()
    base = models.CharField(max_length=3)
    worth = models.JSONField(default=dict)
    source = models.CharField(max_length=120, blank=True)
    stated_by = models.ForeignKey(User, on_delete=models.PROTECT, null=True, related_name="+")
    of_file = models.BooleanField(default=False)

    class Meta:
        """Oldest first; one of the house a day."""

        ordering = ("dated", "id")
        constraints = (
            models.UniqueConstraint(fields=("dated",), condition=models.Q(of_file=False), name="one_sheet_a_day"),
        )

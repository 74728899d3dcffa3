"""What providers sell: regions, zones, instance types and their offers."""

from __future__ import annotations

from django.db import models


class Provider(models.Model):
    """A provider; its prices are in one currency."""

    name = models.CharField(max_length=80, unique=True)
    currency = models.CharField(max_length=3)


class Region(models.Model):
    """A region of a provider."""

    provider = models.ForeignKey(Provider, on_delete=models.CASCADE, related_name="regions")
    name = models.CharField(max_length=80)
    note = models.CharField(max_length=200, blank=True)

    class Meta:
        """Names are unique with a provider."""

        constraints = (models.UniqueConstraint(fields=("provider", "name"), name="region_once"),)


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
    """A size of node that a provider sells."""

    provider = models.ForeignKey(Provider, on_delete=models.CASCADE, related_name="types")
    name = models.CharField(max_length=80)
    family = models.CharField(max_length=40)
    vcpu = models.PositiveIntegerField()
    memory_bytes = models.PositiveBigIntegerField()
    architecture = models.CharField(max_length=20)
    most_pods = models.PositiveIntegerField()

    class Meta:
        """Names are unique with a provider."""

        constraints = (models.UniqueConstraint(fields=("provider", "name"), name="type_once"),)


class Offer(models.Model):
    """An instance type for sale in a zone."""

    zone = models.ForeignKey(Zone, on_delete=models.CASCADE, related_name="offers")
    instance_type = models.ForeignKey(InstanceType, on_delete=models.CASCADE, related_name="offers")
    purchase = models.CharField(max_length=16, default="on-demand")
    price_per_hour = models.DecimalField(max_digits=18, decimal_places=9)
    most_nodes = models.PositiveIntegerField(null=True)

    class Meta:
        """One offer for each zone, type and kind of purchase; prices above zero."""

        constraints = (
            models.UniqueConstraint(fields=("zone", "instance_type", "purchase"), name="offer_once"),
            models.CheckConstraint(condition=models.Q(price_per_hour__gt=0), name="price_above_zero"),
        )

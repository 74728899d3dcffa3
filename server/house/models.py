"""The organisation's house rules; every change is a new row, so that what held when can be told."""

from __future__ import annotations

from decimal import Decimal

from django.db import models

from accounts.models import Role, User
from config.one_look import looked_up
from rombel.model.failure import FailureData
from rombel.model.fit_problem import Purchase
from rombel.model.house_rules import HouseRules
from rombel.model.node import ReservationRule, Slice
from rombel.model.pod import Amounts


class RuleSet(models.Model):
    """House rules from a moment on; the newest counts."""

    survive_zone = models.CharField(max_length=10, default="none")
    fewest_nodes_per_pool = models.PositiveSmallIntegerField(null=True)
    most_pods_per_node = models.PositiveSmallIntegerField(null=True)
    most_pools = models.PositiveSmallIntegerField(null=True)
    control_plane_members = models.PositiveSmallIntegerField(null=True)
    purchases = models.JSONField(default=list)
    families = models.JSONField(default=list)
    regions = models.JSONField(default=list)
    required_labels = models.JSONField(default=list)
    architecture = models.CharField(max_length=40, blank=True, default="")
    reservation = models.JSONField(default=dict)
    sign_off_above = models.DecimalField(max_digits=18, decimal_places=2, null=True)
    currency = models.CharField(max_length=3, default="EUR")
    open_rules = models.JSONField(default=list)
    intake_cpu_millicores = models.PositiveIntegerField(default=250)
    intake_memory_bytes = models.PositiveBigIntegerField(default=512 * 2**20)
    intake_per_replica = models.FloatField(default=25.0)
    failures = models.JSONField(default=dict)
    care_accepted_by = models.CharField(max_length=10, default=Role.PLANNER)
    kept_answers = models.PositiveSmallIntegerField(default=20)
    kept_days = models.PositiveSmallIntegerField(default=90)
    stated_by = models.ForeignKey(User, on_delete=models.PROTECT, null=True, related_name="+")
    stated_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        """Newest last."""

        ordering = ("id",)


RULE_FIELDS = (
    "survive_zone",
    "fewest_nodes_per_pool",
    "most_pods_per_node",
    "most_pools",
    "control_plane_members",
    "purchases",
    "families",
    "regions",
    "required_labels",
    "architecture",
    "reservation",
    "sign_off_above",
    "currency",
    "open_rules",
    "intake_cpu_millicores",
    "intake_memory_bytes",
    "intake_per_replica",
    "failures",
    "care_accepted_by",
    "kept_answers",
    "kept_days",
)


def present_rules() -> RuleSet:
    """Return the rules that count now; unsaved and empty where none were stated."""
    return looked_up("house-rules", lambda: RuleSet.objects.select_related("stated_by").last() or RuleSet())


def rules_of(row: RuleSet) -> HouseRules:
    """Return the core's value of a row."""
    return HouseRules(
        fewest_nodes_per_pool=row.fewest_nodes_per_pool,
        most_pods_per_node=row.most_pods_per_node,
        most_pools=row.most_pools,
        control_plane_members=row.control_plane_members,
        purchases=frozenset(Purchase(name) for name in row.purchases),
        families=frozenset(row.families),
        regions=frozenset(row.regions),
        required_labels=tuple(row.required_labels),
        architecture=row.architecture,
        reservation=reservation_of(row.reservation),
        sign_off_above=None if row.sign_off_above is None else Decimal(row.sign_off_above),
        currency=row.currency,
        open_rules=frozenset(row.open_rules),
        intake_request=Amounts(row.intake_cpu_millicores, row.intake_memory_bytes),
        intake_per_replica=row.intake_per_replica,
        failures=FailureData().overlaid(row.failures),
    )


def reservation_of(stored: dict[str, object]) -> ReservationRule:
    """Return the reservation rule from its stored fields; what is not stored is the core's default."""
    fields: dict[str, object] = {}
    for name, value in stored.items():
        if isinstance(value, list):
            fields[name] = tuple(Slice(part["width"], part["basis_points"]) for part in value)
        else:
            fields[name] = Amounts(**value) if isinstance(value, dict) else value
    return ReservationRule(**fields)  # type: ignore[arg-type]

"""What is to stand for a plan: neutral JSON, what a node costs, and what runs on it."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from decimal import Decimal
from functools import cached_property
from typing import Any

from accounts.action import Missing
from rombel.building import node_key, pool_key
from rombel.formats.build_json import FORMAT
from rombel.formats.objects import Stated, stated, whole_objects
from rombel.model.demand import Demand, WorkloadKind, parted_name
from rombel.model.fit_problem import FitProblem
from rombel.model.fit_solution import FitSolution, counted
from rombel.model.study import TYPE_LABEL
from runs.addresses import addresses_for
from runs.models import Fit
from runs.questions.pool_limits import PoolLimits, pool_limits
from runs.stored import stored_plan
from studies.adapt import sized_rows
from studies.build import DEFAULTS
from studies.models import Variant


@dataclass(frozen=True)
class Buildable:
    """A plan and its variant, and what a builder needs of them.

    Raises
    ------
    Missing
        When no region is chosen.

    """

    variant: Variant
    fit: Fit

    def __post_init__(self) -> None:
        """Refuse a variant without a region."""
        if self.variant.region is None:
            raise Missing("No region is chosen.")

    @cached_property
    def plan(self) -> tuple[FitProblem, FitSolution]:
        """Return the plan with what was asked."""
        return stored_plan(self.fit)

    @cached_property
    def rows(self) -> Sequence[Demand]:
        """Return the demand."""
        return sized_rows(self.variant)

    @cached_property
    def workloads(self) -> list[Stated]:
        """Return the demand as it is handed over."""
        return stated(self.rows, self.variant.study.growth_percent)

    @cached_property
    def limits(self) -> PoolLimits:
        """Return the limits of autoscaling."""
        return pool_limits(self.variant, self.fit)

    @cached_property
    def build(self) -> dict[str, Any]:
        """Return what is to stand."""
        region = self.variant.region
        assert region is not None
        asked = {**DEFAULTS, **self.variant.build}
        ranges = self._ranges()
        return {
            "format": FORMAT,
            "cluster": asked["cluster"],
            "region": region.name,
            "price_list": f"{region.edition.provider.name}, {region.edition.dated}",
            "control_plane": {
                "members": self.variant.control_plane_members,
                "tier": self.variant.tier,
                "version": asked["version_to"],
            },
            "pools": self._pools(asked["version_to"]),
            "ranges": ranges,
            "gateways": [{"zone": each["zone"]} for each in ranges if each["carries"] == "public"],
            "add_ons": self._add_ons(),
        }

    def _pools(self, version: str) -> list[dict[str, Any]]:
        region = self.variant.region
        assert region is not None
        # Pools that are empty now and may grow later stand in the limits alone, and are built too.
        counts, limits = counted(self.plan[1].nodes), self.limits.ranges
        families = dict(region.edition.types.values_list("name", "family"))
        stated_version = {"version": version} if version else {}
        return [
            {
                "instance_type": key[0],
                "purchase": str(key[1]),
                "zone": key[2],
                "nodes": counts[key],
                "least": limits[key].least if key in limits else counts[key],
                "most": limits[key].most if key in limits else counts[key],
                # By its label replicas find the nodes that the plan has them on.
                "labels": {TYPE_LABEL: key[0]},
                "taint": self.variant.family_rules.get(families.get(key[0], ""), {}).get("taint", "") or "",
                **stated_version,
            }
            for key in sorted({*counts, *limits})
        ]

    def _ranges(self) -> list[dict[str, Any]]:
        return [
            {
                "name": entry.name,
                "carries": str(entry.want.role),
                "zone": entry.want.zone,
                "range": str(entry.range),
                "kept": str(entry.kept),
            }
            for plan in addresses_for(self.variant, self.fit, pool_limits(self.variant)).plans
            for entry in plan.ranges
        ]

    def _add_ons(self) -> list[dict[str, Any]]:
        """Return daemon workloads; those of a higher priority run before the others."""
        daemons = sorted(
            (row for row in self.rows if row.kind is WorkloadKind.DAEMON),
            key=lambda row: (-row.priority, row.full_name),
        )
        return [
            {"name": row.full_name, "needs": [own.full_name for own in daemons if own.priority > row.priority]}
            for row in daemons
        ]

    @property
    def prices(self) -> dict[str, Decimal]:
        """Return what a node of a pool costs an hour, by the pool's key, with what it brings along."""
        return {
            pool_key({"instance_type": entry.name, "purchase": str(offer.purchase), "zone": offer.zone}): (
                offer.price_per_hour
            )
            for entry in self.plan[0].instance_types
            for offer in entry.offers
        }

    @cached_property
    def placement(self) -> dict[str, dict[str, int]]:
        """Return by node key which replicas stand there."""
        # A plan has batches, a cluster nodes: each gets its number within its pool, in the order of the plan.
        numbers: Counter[str] = Counter()
        found: dict[str, dict[str, int]] = {}
        for batch in self.plan[1].nodes:
            pool = pool_key({"instance_type": batch.instance_type, "purchase": str(batch.purchase), "zone": batch.zone})
            for _ in range(batch.count):
                numbers[pool] += 1
                here = found.setdefault(node_key(pool, numbers[pool]), {})
                for name, count in batch.replicas.items():
                    # Workloads that were placed as one stand for all of them.
                    for own, each in parted_name(name):
                        here[own] = here.get(own, 0) + count * each
        return found

    @property
    def running(self) -> dict[str, Any]:
        """Return what runs on it: objects of the API, and where replicas stand."""
        objects = [each for each in whole_objects(self.workloads) if each["kind"] != "Namespace"]
        return {"objects": objects, "placement": self.placement}

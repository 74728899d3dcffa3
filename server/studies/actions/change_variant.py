"""Change the supply or the targets of a variant."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, ClassVar

from accounts.action import Action
from catalogue.models import Region
from rombel.errors import refuse
from studies.edits import Change, record, variant_fields
from studies.models import Survive, Variant


@dataclass
class ChangeVariant(Action[None]):
    """Set some of a variant's choices; unknown regions and zones are refused."""

    variant: Variant
    fields: dict[str, Any]
    name: ClassVar[str] = "variant.change"

    def execute(self) -> None:
        """Apply the fields as one edit."""
        before = variant_fields(self.variant)
        after = {**before, **self.fields}
        if after["region_id"] != before["region_id"] and "zones" not in self.fields:
            after["zones"] = self._zones(after["region_id"])
        self._check(after)
        change = Change(kind="variant", key=str(self.variant.pk), before=before, after=after)
        words = ", ".join(sorted(key.removesuffix("_id").replace("_", " ") for key in self.fields))
        record(self.variant.study, self.actor, f"{self.variant.name}: {words}", [change])

    def _zones(self, region_id: int | None) -> list[str]:
        region = Region.objects.filter(pk=region_id or 0).first()
        return list(region.zones.values_list("name", flat=True)) if region else []

    def _check(self, after: dict[str, Any]) -> None:
        known = self._zones(after["region_id"])
        if after["region_id"] is not None and not known:
            raise refuse("supply.region", "region_id", "There is no such region.", "Choose one of the catalogue.")
        unknown = [zone for zone in after["zones"] if zone not in known]
        if unknown:
            raise refuse("supply.zone", "zones", f"The region has no zone '{unknown[0]}'.", "Choose one of its zones.")
        after["zones"] = [zone for zone in known if zone in after["zones"]]
        if after["survive_zone"] not in Survive.values:
            raise refuse("targets.survive", "survive_zone", "That is no way to survive.", "Choose one of the three.")
        for field in ("most_pools", "fewest_nodes_per_pool", "most_pods_per_node"):
            if after[field] is not None and not 1 <= after[field] <= 10_000:
                raise refuse("targets.limit", field, "A limit is from 1 to 10000.", "Leave it empty for no limit.")

    def subject(self) -> str:
        """Return the variant."""
        return f"variant:{self.variant.pk}"

    def detail(self) -> dict[str, Any]:
        """Return the fields set."""
        return self.fields

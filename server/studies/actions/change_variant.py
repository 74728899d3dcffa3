"""Change the supply or the targets of a variant."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from decimal import Decimal, InvalidOperation
from typing import Any, ClassVar

from catalogue.listed import listed
from catalogue.models import Region
from house.models import present_rules, rules_of
from rombel.errors import Fault, InputRefused
from rombel.model.fit_problem import Purchase
from rombel.model.house_rules import Deviation, deviations
from studies.actions.of_study import OfVariant, Recording
from studies.adapt import choices_of, demand_rows, family_rule, percent_of, sold_families
from studies.addresses import address_faults, in_zones, normal_addresses
from studies.beside import beside_faults, merged_beside, normal, that_is_sold
from studies.build import build_faults, merged_build
from studies.build import in_zones as build_in_zones
from studies.edits import Change, record, variant_fields
from studies.models import StatedDeviation, Survive, Variant

MOST_LOST = 20
LIMITS = ("most_pools", "fewest_nodes_per_pool", "fewest_nodes_per_zone", "most_pods_per_node")


def any_of(rule: Mapping[str, Any]) -> bool:
    """Return whether a rule of a family asks for anything."""
    return bool(rule.get("taint")) or rule.get("most_nodes") is not None or rule.get("most_in_zone") is not None


@dataclass
class ChangeVariant(Recording, OfVariant[None]):
    """Set some of a variant's choices.

    Unknown regions, zones, families and tiers are refused; a choice that leaves a house rule needs the rule to be
    open and ``why`` to be said.
    """

    fields: dict[str, Any]
    why: str = ""
    name: ClassVar[str] = "variant.change"

    def execute(self) -> None:
        """Apply the fields as one edit."""
        before = variant_fields(self.variant)
        after = self.checked()
        self._deviations(after)
        change = Change(kind="variant", key=str(self.variant.pk), before=before, after=after)
        # In words, as the summary is read in the history and by whoever undoes it.
        words = ", ".join(sorted(key.removesuffix("_id").replace("_", " ") for key in self.fields))
        self.recorded = record(
            self.variant.study, self.actor, f"{self.variant.name}: {words}", [change], why=self.why.strip()
        )

    def checked(self) -> dict[str, Any]:
        """Return every choice as it will be, of the right form and of what is sold; house rules are not looked at."""
        before = variant_fields(self.variant)
        after = {**before, **self.fields}
        # What is not said of addresses, of the build and of what is paid beside nodes stays: several forms write parts of it.
        after["addresses"] = {**before["addresses"], **self.fields.get("addresses", {})}
        after["build"] = merged_build(before["build"], self.fields.get("build", {}))
        after["beside"] = merged_beside(before["beside"], self.fields.get("beside", {}))
        region = Region.objects.select_related("edition__provider").filter(pk=after["region_id"] or 0).first()
        # Zones, tier and families belong to a region and follow it.
        if after["region_id"] != before["region_id"]:
            self._follow(region, after)
        faults = list(self._faults(after, region))
        if faults:
            raise InputRefused(faults)
        return after

    def _follow(self, region: Region | None, after: dict[str, Any]) -> None:
        """Let what belongs to a region follow to another: zones and tier that it has too, families that it sells."""
        zones = _zones(region)
        if "zones" not in self.fields:
            # All zones kept, or none: two of three would silently weaken a promise.
            kept = [zone for zone in zones if zone in after["zones"]]
            after["zones"] = kept if len(kept) == len(after["zones"]) and kept else zones
        sold = sold_families(region) if region else []
        after["families"] = [name for name in after["families"] if name in sold]
        after["family_rules"] = {name: rule for name, rule in after["family_rules"].items() if name in sold}
        after["beside"] = that_is_sold(after["beside"], region)
        if "addresses" not in self.fields:
            after["addresses"] = in_zones(after["addresses"], zones)
        if "build" not in self.fields:
            after["build"] = build_in_zones(after["build"], zones)
        if region and listed(region).tier(after["tier"]) is None:
            after["tier"] = ""

    def _faults(self, after: dict[str, Any], region: Region | None) -> list[Fault]:
        faults = []
        zones = _zones(region)
        if after["region_id"] is not None and region is None:
            faults.append(
                Fault("supply.region", "region_id", "There is no such region.", "Choose one of the catalogue.")
            )
        for zone in after["zones"]:
            if zone not in zones:
                faults.append(
                    Fault("supply.zone", "zones", f"The region has no zone '{zone}'.", "Choose one of its zones.")
                )
        # In the region's order and once each: chosen in another order it is the same choice.
        after["zones"] = [zone for zone in zones if zone in after["zones"]]
        fix = f"Use {', '.join(Survive.values)}."
        for field in ("survive_zone", "survive_nodes"):
            if after[field] not in Survive.values:
                faults.append(Fault("targets.survive", field, "That is no way to survive.", fix))
        if not 0 <= after["lost_nodes"] <= MOST_LOST:
            reason = f"From 0 to {MOST_LOST} nodes may be lost at once."
            faults.append(Fault("targets.lost", "lost_nodes", reason, "Write 0 where none is promised."))
        for field in LIMITS:
            if after[field] is not None and not 1 <= after[field] <= 10_000:
                faults.append(
                    Fault("targets.limit", field, "A limit is from 1 to 10000.", "Leave it empty for no limit.")
                )
        faults += self._family_faults(after, region)
        after["beside"] = normal(after["beside"])
        if "build" in self.fields:
            faults += list(build_faults(after["build"], zones))
        if "addresses" in self.fields:
            after["addresses"] = normal_addresses(after["addresses"])
            faults += list(address_faults(after["addresses"], zones))
        faults += self._size_faults(after) + _beyond_faults(after) + list(beside_faults(after["beside"], region))
        return faults + self._purchase_faults(after) + self._plane_faults(after, region)

    def _size_faults(self, after: dict[str, Any]) -> list[Fault]:
        """Return a fault for each size of a workload that is not there; what sizes nothing is left out."""
        if "sizes" not in self.fields:
            return []
        # A size may outlive its workload, which undo brings back; one that is newly stated must have it.
        known = {row.full_name for row in demand_rows(self.variant.study)}
        fix = "Size to the targets again, or take its size away."
        return [
            Fault("targets.size", f"sizes.{name}", f"There is no workload '{name[:80]}'.", fix)
            for name in after["sizes"]
            if name not in known
        ]

    def _family_faults(self, after: dict[str, Any], region: Region | None) -> list[Fault]:
        """Return what is wrong with rules of families; empty rules are left out."""
        faults: list[Fault] = []
        after["family_rules"] = {name: rule for name, rule in after["family_rules"].items() if any_of(rule)}
        sold = set(sold_families(region)) if region else set()
        for name, rule in after["family_rules"].items():
            path = f"family_rules.{name}"
            if name not in sold:
                faults.append(Fault("supply.family", path, f"The region sells no '{name}'.", "Name a family it sells."))
            try:
                family_rule(rule)
            except InputRefused as refused:
                faults += [replace(fault, path=path) for fault in refused.faults]
        return faults

    def _purchase_faults(self, after: dict[str, Any]) -> list[Fault]:
        faults = []
        if not after["purchases"] or set(after["purchases"]) - set(Purchase):
            fix = f"Use {', '.join(Purchase)}, at least one."
            faults.append(Fault("supply.purchase", "purchases", "That is no choice of kinds of purchase.", fix))
        amount = after["budget_per_month"]
        try:
            fine = amount is None or (Decimal(amount).is_finite() and 0 < Decimal(amount) < 10**12)
        except InvalidOperation:
            fine = False
        if not fine:
            fix = "Write an amount above zero, or leave it empty."
            faults.append(Fault("targets.budget", "budget_per_month", f"'{amount}' is no amount.", fix))
        elif amount is not None:
            after["budget_per_month"] = str(Decimal(amount).quantize(Decimal("0.01")))
        return faults

    def _plane_faults(self, after: dict[str, Any], region: Region | None) -> list[Fault]:
        faults = []
        if after["control_plane_members"] not in (1, 3, 5):
            fix = "Choose 1, 3 or 5: an even number tolerates no more losses."
            faults.append(Fault("targets.members", "control_plane_members", "A control plane has 1, 3 or 5.", fix))
        tier = listed(region).tier(after["tier"]) if region else None
        if after["tier"] and tier is None:
            faults.append(Fault("targets.tier", "tier", f"The provider has no tier '{after['tier']}'.", "Choose one."))
        # A tier brings its members; members chosen by hand end the tier that has other ones.
        elif tier is not None and "tier" in self.fields:
            after["control_plane_members"] = tier.members
        elif tier is not None and tier.members != after["control_plane_members"]:
            after["tier"] = ""
        sold = sold_families(region) if region else []
        for family in after["families"]:
            if family not in sold:
                faults.append(
                    Fault("supply.family", "families", f"The region sells no '{family}'.", "Choose a family it sells.")
                )
        return faults

    def _deviations(self, after: dict[str, Any]) -> None:
        """Write down why the choices leave house rules; refuse where a rule is closed or no reason was said."""
        rules = rules_of(present_rules())
        # Only deviations that are new need a reason; the others have theirs.
        present = {(entry.rule, entry.chosen) for entry in deviations(rules, choices_of(self.variant))}
        # Never saved: only to see which rules it would leave.
        values = {**after, "budget_per_month": None}
        changed = Variant(study=self.variant.study, **values)
        new = [entry for entry in deviations(rules, choices_of(changed)) if (entry.rule, entry.chosen) not in present]
        faults = [fault for entry in new for fault in self._refused(entry)]
        if faults:
            raise InputRefused(faults)
        for entry in new:
            StatedDeviation.objects.create(
                variant=self.variant,
                rule=entry.rule,
                chosen=entry.chosen[:400],
                why=self.why.strip()[:400],
                stated_by=self.actor,
            )

    def _refused(self, entry: Deviation) -> list[Fault]:
        words = entry.rule.replace("_", " ")
        reason = f"The house rule on {words} is {entry.asked}; this would be {entry.chosen}."
        if not entry.allowed:
            return [Fault("house.closed", entry.rule, reason, "A lead can open the rule under House rules.")]
        if not self.why.strip():
            return [Fault("house.why", entry.rule, reason, "Say why, and the deviation is kept with your name.")]
        return []

    def detail(self) -> dict[str, Any]:
        """Return the fields set, and the reason for leaving a rule."""
        return {**self.fields, **({"why": self.why} if self.why else {})}


def _beyond_faults(after: dict[str, Any]) -> list[Fault]:
    beyond = after["beyond"]
    faults = []
    try:
        percent_of(beyond.get("entry") or "99.99")
    except InputRefused as refused:
        faults += [replace(fault, path="beyond.entry") for fault in refused.faults]
    if Region.objects.filter(pk__in=beyond.get("region_ids", [])).count() < len(set(beyond.get("region_ids", []))):
        faults.append(
            Fault("supply.region", "beyond.region_ids", "There is no such region.", "Choose one of the catalogue.")
        )
    return faults


def _zones(region: Region | None) -> list[str]:
    return list(region.zones.values_list("name", flat=True)) if region else []

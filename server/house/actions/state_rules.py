"""State the house rules anew."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass
from decimal import Decimal, InvalidOperation
from typing import Any, ClassVar

from accounts.action import Action
from accounts.models import Role
from house.models import RULE_FIELDS, RuleSet, present_rules, rules_of
from rombel.errors import Fault, InputRefused, refuse
from rombel.model.failure import FailureData
from rombel.model.fit_problem import Purchase
from rombel.model.house_rules import RULES
from rombel.model.node import waterfall
from rombel.model.pod import Amounts
from rombel.model.quantity import typed_bytes, typed_cpu

COUNTS = ("fewest_nodes_per_pool", "most_pods_per_node", "most_pools")
GIB = 2**30

INTAKE = {
    "intake_cpu": ("intake_cpu_millicores", typed_cpu),
    "intake_memory": ("intake_memory_bytes", typed_bytes),
}
"""Fields that are typed as quantities, the columns they are kept in, and how they are read."""


def _read(read: Callable[[str], int], text: str, path: str, faults: list[Fault]) -> int:
    try:
        return read(text)
    except InputRefused as refused:
        faults.extend(Fault(f.code, path, f.reason, f.fix) for f in refused.faults)
        return 0


@dataclass
class StateRules(Action[RuleSet]):
    """Set some rules, the others stay; only a lead may, and a fault in one refuses all."""

    fields: dict[str, Any]
    name: ClassVar[str] = "house.state"
    roles: ClassVar[tuple[Role, ...]] = (Role.LEAD,)

    def lock(self) -> None:
        """Hold the rules that stand: the next ones start from them, one after the other."""
        # Rules are never changed, only stated anew; holding the newest makes two leads wait for each other.
        RuleSet.objects.select_for_update().order_by("-pk").first()

    def execute(self) -> RuleSet:
        """Return the new rules."""
        before = present_rules()
        typed = {name: text for name, text in self.fields.items() if name not in INTAKE}
        if "failures" in typed:
            stated = {name: figure for name, figure in typed["failures"].items() if figure is not None}
            # A figure left out keeps what the house has said of it before.
            typed["failures"] = {**before.failures, **stated}
        values = {name: getattr(before, name) for name in RULE_FIELDS} | typed
        faults = self._faults(values)
        for name, (field, read) in INTAKE.items():
            if name in self.fields:
                values[field] = _read(read, self.fields[name], name, faults)
        if self.fields.get("reservation"):
            values["reservation"] = read_reservation(self.fields["reservation"], faults)
        try:
            FailureData().overlaid(values["failures"])
        except InputRefused as refused:
            faults += [Fault(f.code, f"failures.{f.path}", f.reason, f.fix) for f in refused.faults]
        if faults:
            raise InputRefused(faults)
        if values["sign_off_above"] is not None:
            values["sign_off_above"] = Decimal(values["sign_off_above"])
        self.made = RuleSet(**values, stated_by=self.actor)
        self._check_reservation()
        self.made.save()
        return self.made

    def _faults(self, values: dict[str, Any]) -> list[Fault]:
        faults = []
        for name in COUNTS:
            if values[name] is not None and not 1 <= values[name] <= 10_000:
                faults.append(Fault("house.count", name, "A limit is from 1 to 10000.", "Leave it empty for no rule."))
        if values["control_plane_members"] not in (None, 1, 3, 5):
            faults.append(
                Fault("house.members", "control_plane_members", "A control plane has 1, 3 or 5.", "Choose one.")
            )
        for name, known in (("purchases", set(Purchase)), ("open_rules", set(RULES))):
            for entry in values[name]:
                if entry not in known:
                    fix = f"Use {', '.join(sorted(known))}."
                    faults.append(Fault("house.name", name, f"'{entry}' is not known.", fix))
        for key in values["required_labels"]:
            if not key or len(key) > 253 or not key.isprintable() or " " in key:
                faults.append(Fault("house.label", "required_labels", f"'{key}' is no label key.", "Write it plainly."))
        if not all(sign.isalnum() or sign in "-_." for sign in values["architecture"]):
            fix = "Write it as nodes carry it, such as the price list does, or leave it empty."
            faults.append(Fault("house.architecture", "architecture", "That is no architecture.", fix))
        amount = values["sign_off_above"]
        if amount is not None and not _is_money(amount):
            faults.append(Fault("house.money", "sign_off_above", f"'{amount}' is no amount above zero.", "Write one."))
        return faults

    def _check_reservation(self) -> None:
        """Refuse a reservation that leaves nothing of a node of 8 vCPU and 32 GiB, a common size."""
        # A size that every provider sells: what leaves nothing there leaves nothing anywhere.
        left = waterfall(Amounts(8000, 32 * GIB), 110, rules_of(self.made).reservation).allocatable
        if min(left) <= 0:
            reason = "A node of 8 vCPU and 32 GiB would keep more for itself than it has."
            raise InputRefused([Fault("node.reservation", "reservation", reason, "Lower the amounts or shares.")])

    def subject(self) -> str:
        """Return the rules."""
        return f"house:{self.made.pk}"

    def detail(self) -> dict[str, Any]:
        """Return the fields set."""
        return self.fields


def read_reservation(written: dict[str, Any], faults: list[Fault]) -> dict[str, Any]:
    """Return the reservation rule as it is stored, from quantities as they are written; faults are added."""

    def kept(parse: Callable[[str], int], text: str, path: str) -> int:
        try:
            return parse(text)
        except InputRefused as refused:
            faults.extend(Fault(f.code, f"reservation.{path}", f.reason, f.fix) for f in refused.faults)
            return 0

    def amounts(name: str) -> dict[str, int]:
        pair = written[name]
        cpu, memory = kept(typed_cpu, pair["cpu"], f"{name}.cpu"), kept(typed_bytes, pair["memory"], f"{name}.memory")
        return {"cpu_millicores": cpu, "memory_bytes": memory}

    def slices(name: str, parse: Callable[[str], int]) -> list[dict[str, int | None]]:
        return [
            {
                "width": None if part["width"] is None else kept(parse, part["width"], f"{name}[{place}].width"),
                "basis_points": kept(_basis_points, part["percent"], f"{name}[{place}].percent"),
            }
            for place, part in enumerate(written.get(name, ()))
        ]

    return {
        **{name: amounts(name) for name in ("kubelet", "system", "per_pod")},
        "eviction_memory_bytes": kept(typed_bytes, written["eviction_memory"], "eviction_memory"),
        "eviction_memory_basis_points": kept(_basis_points, written.get("eviction_percent", "0"), "eviction_percent"),
        "cpu_slices": slices("cpu_slices", typed_cpu),
        "memory_slices": slices("memory_slices", typed_bytes),
    }


def _basis_points(text: str) -> int:
    number = text.strip().removesuffix("%").strip().replace(",", ".")
    if not re.fullmatch(r"[0-9]{1,3}([.][0-9]{1,2})?", number) or Decimal(number) > 100:
        raise refuse(
            "house.percent", "", f"'{text}' is no share.", "Write percent from 0 to 100, two decimals at most."
        )
    return int(Decimal(number) * 100)


def _is_money(text: Any) -> bool:
    try:
        amount = Decimal(str(text))
    except InvalidOperation:
        return False
    return amount.is_finite() and 0 < amount < 10**12

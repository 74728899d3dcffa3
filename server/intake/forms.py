"""From a filled-in form to the core's value, and the outlook that a service owner sees before asking."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from decimal import ROUND_HALF_EVEN, Decimal
from typing import Any

from django.utils import timezone
from pydantic import TypeAdapter

from accounts.models import User
from house.models import present_rules, rules_of
from rombel.errors import Fault, InputRefused
from rombel.formats.demand_columns import read_count
from rombel.model.demand import Demand
from rombel.model.intake import Importance, IntakeForm, row_of_form
from rombel.model.levels import levels_of, sheet_faults
from rombel.model.quantity import parse_day, show_cpu, show_memory, typed_bytes, typed_cpu, typed_number
from rombel.plan import addition
from studies.adapt import demand_rows, supply_of, targets_of
from studies.models import Study

_FORM = TypeAdapter(IntakeForm)
FIELD = {
    "demand.owner": "owner",
    "demand.name": "name",
    "demand.text": "name",
    "demand.cpu": "cpu",
    "demand.memory": "memory",
}
"""The field of the form that a fault of its row belongs to."""


def form_of(stored: dict[str, Any]) -> IntakeForm:
    """Return the form as it was stored."""
    return _FORM.validate_python(stored)


def stored_form(form: IntakeForm) -> dict[str, Any]:
    """Return a form as it is stored."""
    value: dict[str, Any] = _FORM.dump_python(form, mode="json")
    return value


def read_form(typed: dict[str, str]) -> IntakeForm:
    """Return the form from texts as typed.

    Raises
    ------
    InputRefused
        With every fault, each naming its field.

    """
    faults: list[Fault] = []

    def take(name: str, parse: Any, default: Any) -> Any:
        text = typed.get(name, "").strip()
        if not text:
            return default
        try:
            return parse(text)
        except InputRefused as refused:
            faults.extend(Fault(f.code, name, f.reason, f.fix) for f in refused.faults)
        except ValueError:
            faults.append(Fault("intake.text", name, f"'{text[:40]}' is not understood.", "Write a plain number."))
        return default

    form = IntakeForm(
        namespace=typed.get("namespace", "").strip(),
        name=typed.get("name", "").strip(),
        owner=typed.get("owner", "").strip(),
        replicas=take("replicas", lambda text: read_count(text, 1, 10_000), None),
        usual_rate=take("usual_rate", _rate, 0.0),
        peak_rate=take("peak_rate", _rate, 0.0),
        per_replica=take("per_replica", _rate, None),
        cpu_millicores=take("cpu", typed_cpu, None),
        memory_bytes=take("memory", typed_bytes, None),
        importance=take("importance", Importance, Importance.NORMAL),
        until=take("until", parse_day, None),
    )
    faults += form.faults(timezone.now().date())
    if not faults:
        row, _ = row_of_form(form, rules_of(present_rules()))
        faults += [Fault(f.code, FIELD.get(f.code, "peak_rate"), f.reason, f.fix) for f in sheet_faults([row])]
    if faults:
        raise InputRefused(faults)
    return form


def with_owner(typed: dict[str, str], asker: User) -> dict[str, str]:
    """Return what was typed, with who asks as the owner where none was."""
    return {**typed, "owner": typed.get("owner", "").strip() or asker.shown_name}


def _rate(text: str) -> float:
    value = float(typed_number(text))
    if not 0 <= value < 1e9:
        raise ValueError(text)
    return value


@dataclass(frozen=True, slots=True)
class IntakeOutlook:
    """What a form asks for and what it would add to a study's bill at today's marginal price."""

    row: Demand
    filled: tuple[str, ...]
    cost_per_month: Decimal
    promise_per_month: Decimal
    reasons: tuple[str, ...]

    def stored(self, currency: str) -> dict[str, Any]:
        """Return the outlook as it is stored and shown."""
        cents = Decimal("0.01")
        return {
            "currency": currency,
            "cost_per_month": str(self.cost_per_month.quantize(cents, ROUND_HALF_EVEN)),
            "promise_per_month": str(self.promise_per_month.quantize(cents, ROUND_HALF_EVEN)),
            "reasons": list(self.reasons),
            "filled": list(self.filled),
            "replicas": {level: count.replicas for level, count in levels_of(self.row).items()},
            "request": f"{show_cpu(self.row.request.cpu_millicores)}, {show_memory(self.row.request.memory_bytes)}",
        }


def outlook_of(form: IntakeForm, study: Study) -> IntakeOutlook:
    """Return what a form asks for, priced in the study's reference variant at its list of today."""
    row, filled = row_of_form(form, rules_of(present_rules()))
    variant = study.variants.select_related("study__rates", "region__edition__provider").get(is_reference=True)
    others = [entry for entry in demand_rows(study) if entry.full_name != row.full_name]
    try:
        found = addition(supply_of(variant), targets_of(variant), others, row)
    except InputRefused as refused:
        reasons = tuple(fault.reason for fault in refused.faults)
        return IntakeOutlook(row, filled, Decimal(0), Decimal(0), reasons)
    return IntakeOutlook(row, filled, found.cost_per_month, found.promise_per_month, found.reasons)


def open_faults(row: Demand, study: Study) -> Iterator[Fault]:
    """Yield why a form cannot be taken into a study as it stands there."""
    if study.workloads.filter(namespace=row.namespace, name=row.name).exists():
        reason = f"'{row.full_name}' is in the study already."
        yield Fault("intake.twice", "name", reason, "Change that row in the sheet, and answer the request.")

"""What a service owner asks for in a few words, and the row of the demand sheet that house rules make of it."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import date
from enum import StrEnum

from rombel.errors import Fault
from rombel.model.demand import Basis, Demand, Provenance, Sizing, WorkloadKind
from rombel.model.house_rules import HouseRules
from rombel.model.pod import Amounts


class Importance(StrEnum):
    """How bad it is when the service is down."""

    VITAL = "vital"
    NORMAL = "normal"
    CAN_WAIT = "can wait"


@dataclass(frozen=True, slots=True)
class IntakeForm:
    """A short form; what is left empty, house rules fill.

    Parameters
    ----------
    namespace, name, owner
        What it is called and who answers for it.
    replicas
        How many are wanted; None: follow from the rates.
    usual_rate, peak_rate
        Requests a second; 0: replicas are stated instead.
    per_replica
        Requests a second that one replica bears; None: not known.
    cpu_millicores, memory_bytes
        Request of one replica; None: not known.
    importance, until
        How important, and the last day it is wanted (None: for good).

    """

    namespace: str
    name: str
    owner: str
    replicas: int | None = None
    usual_rate: float = 0.0
    peak_rate: float = 0.0
    per_replica: float | None = None
    cpu_millicores: int | None = None
    memory_bytes: int | None = None
    importance: Importance = Importance.NORMAL
    until: date | None = None

    def faults(self, today: date) -> Iterator[Fault]:
        """Yield what is wrong with the form."""
        if not self.namespace or not self.name or "/" in self.namespace + self.name:
            yield Fault("intake.name", "name", "A service needs an area and a name without a slash.", "Give it both.")
        if self.replicas is None and self.peak_rate <= 0:
            fix = "Say how many replicas, or how many requests a second at the peak."
            yield Fault("intake.amount", "peak_rate", "Nothing says how much is needed.", fix)
        if self.usual_rate > self.peak_rate > 0:
            fix = "Swap them, or leave the usual rate out."
            yield Fault("intake.rate", "usual_rate", "The usual rate is above the peak.", fix)
        if self.until is not None and self.until < today:
            fix = "Choose a later day, or none."
            yield Fault("intake.until", "until", "The last day has passed already.", fix)


def row_of_form(form: IntakeForm, rules: HouseRules) -> tuple[Demand, tuple[str, ...]]:
    """Return the row of the sheet that a form asks for, and in words what house rules filled in."""
    filled = []
    cpu, memory, bears = form.cpu_millicores, form.memory_bytes, form.per_replica
    if cpu is None:
        cpu = rules.intake_request.cpu_millicores
        filled.append(f"CPU of a replica: {cpu}m")
    if memory is None:
        memory = rules.intake_request.memory_bytes
        filled.append(f"memory of a replica: {memory // 2**20}Mi")
    # Stated replicas need no sizing by rate.
    sizing = Sizing()
    if form.replicas is None:
        if not bears:
            bears = rules.intake_per_replica
            filled.append(f"requests a second that a replica bears: {bears:g}")
        # A common shape where only the peak is known: half of it usually, a quarter at the trough.
        usual = form.usual_rate or form.peak_rate / 2
        if not form.usual_rate:
            filled.append(f"usual rate: half the peak, {usual:g} a second")
        sizing = Sizing(Basis.RATE, trough=usual / 2, usual=usual, peak=form.peak_rate, per_replica=bears, least=2)
    vital, waits = form.importance is Importance.VITAL, form.importance is Importance.CAN_WAIT
    filled.append("keeps the promise to survive a zone" if not waits else "left out of the promise to survive a zone")
    # Labels that the house asks for are filled from the owner, in the form that label values allow.
    labels = {key: form.owner.lower().replace(" ", "-") for key in rules.required_labels}
    filled += [f"label {key}={value}" for key, value in labels.items()]
    row = Demand(
        namespace=form.namespace,
        name=form.name,
        kind=WorkloadKind.REPLICATED,
        replicas=form.replicas if form.replicas is not None else 2,
        request=Amounts(cpu, memory),
        zone_skew=None if waits else 1,
        owner=form.owner,
        promised=not waits,
        labels=labels,
        interruptible_percent=50 if waits else 0,
        priority=1000 if vital else 0,
        sizing=sizing,
        provenance=Provenance("intake", f"the service owner's form{f', until {form.until}' if form.until else ''}"),
    )
    return row, tuple(filled)

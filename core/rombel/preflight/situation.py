"""All that rules look at: plain values, as far as they are known; what is not known is judged by no rule."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass, field
from decimal import Decimal
from functools import cached_property

from rombel.addressing import AddressPlan, TodayCheck
from rombel.model.build import Build
from rombel.model.demand import Demand, by_member
from rombel.model.fit_problem import FitProblem, OfferKey, Survival
from rombel.model.fit_solution import FitSolution, counted
from rombel.model.house_rules import Deviation
from rombel.model.taints import Taint


@dataclass(frozen=True, slots=True)
class Money:
    """What a plan costs a month with all fees, and its floor; the ceiling, and above which amount two leads sign (None: neither stated)."""

    currency: str
    cost: Decimal
    floor: Decimal
    ceiling: Decimal | None = None
    sign_off_above: Decimal | None = None


@dataclass(frozen=True, slots=True)
class Plane:
    """A control plane: its members, and its tier with whether it stands in several zones and what is promised of its API (None: not known)."""

    members: int
    tier: str = ""
    spans_zones: bool | None = None
    uptime: Decimal | None = None


@dataclass(frozen=True)
class Situation:
    """A study's variant, or a problem with its solution alone.

    Parameters
    ----------
    rows, growth_percent, survive
        The demand sheet, how much it grows, and how the loss of a zone is survived.
    zones
        Zones that the variant uses; of its region there are ``zones_there`` (None: not known).
    problem, solution
        What is fitted, and its plan.
    architectures
        By instance type that is sold, its architecture.
    running_on
        By workload, the architectures that it runs on today, as far as they are known.
    house_architecture
        What the house runs where a workload names none; empty: any.
    taints
        By family, the taint of its nodes.
    most
        By offer, the most nodes that may run, surge left out; empty: those of the plan.
    surge
        Nodes that an upgrade adds to a pool in a zone.
    plans, today
        Planned ranges of addresses, and what is found of those of today.
    gateways
        Addresses of gateways in each zone (None: nothing is stated about addresses).
    deviations, unlabelled
        Where house rules are left; by workload, the required labels that it lacks.
    money, plane
        What it costs, and the control plane.
    build
        What is stated about the build.
    highest_target
        The journey with the highest target, and that share; None: none has one.
    newer_list, newer_rates
        In words, that a newer price list or newer rates are there; empty: none.

    """

    rows: tuple[Demand, ...] = ()
    growth_percent: int = 0
    survive: Survival = Survival.NONE
    zones: tuple[str, ...] = ()
    zones_there: int | None = None
    problem: FitProblem | None = None
    solution: FitSolution | None = None
    architectures: Mapping[str, str] = field(default_factory=dict)
    running_on: Mapping[str, frozenset[str]] = field(default_factory=dict)
    house_architecture: str = ""
    taints: Mapping[str, Taint] = field(default_factory=dict)
    most: Mapping[OfferKey, int] = field(default_factory=dict)
    surge: int = 1
    plans: tuple[AddressPlan, ...] = ()
    today: TodayCheck | None = None
    gateways: int | None = None
    deviations: tuple[Deviation, ...] = ()
    unlabelled: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    money: Money | None = None
    plane: Plane | None = None
    build: Build = field(default_factory=Build)
    highest_target: tuple[str, Decimal] | None = None
    newer_list: str = ""
    newer_rates: str = ""

    @cached_property
    def nodes(self) -> Mapping[OfferKey, int]:
        """Return the nodes of the plan by offer."""
        return counted(self.solution.nodes if self.solution else ())

    @cached_property
    def standing(self) -> Mapping[str, Counter[tuple[int, str]]]:
        """Return by workload how many of its replicas stand on each node: its number, and its zone."""
        found: dict[str, Counter[tuple[int, str]]] = {}
        number = 0
        for batch in self.solution.nodes if self.solution else ():
            own = by_member(batch.replicas)
            for node in range(number, number + batch.count):
                for name, count in own.items():
                    found.setdefault(name, Counter())[node, batch.zone] += count
            number += batch.count
        return found

    @cached_property
    def types_of(self) -> Mapping[str, frozenset[str]]:
        """Return by workload the instance types that it stands on."""
        found: dict[str, set[str]] = {}
        for batch in self.solution.nodes if self.solution else ():
            for name in by_member(batch.replicas):
                found.setdefault(name, set()).add(batch.instance_type)
        return {name: frozenset(types) for name, types in found.items()}

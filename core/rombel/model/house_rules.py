"""The organisation's defaults and limits, and where a variant's choices deviate from them."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from decimal import Decimal

from rombel.model.failure import FailureData
from rombel.model.fit_problem import Purchase
from rombel.model.node import ReservationRule
from rombel.model.pod import Amounts

RULES = (
    "fewest_nodes_per_pool",
    "most_pods_per_node",
    "most_pools",
    "control_plane_members",
    "purchases",
    "families",
    "regions",
)
"""Rules that a variant can deviate from, by name."""


@dataclass(frozen=True, slots=True)
class HouseRules:
    """What every study starts with; None or empty: no such rule.

    Parameters
    ----------
    fewest_nodes_per_pool, control_plane_members
        A variant has at least so many.
    most_pods_per_node, most_pools
        A variant has at most so many.
    purchases, families, regions
        Only these may be bought; regions as ``provider/region``.
    required_labels
        Label keys that every workload carries.
    architecture
        Of workloads that name none; empty: any.
    reservation
        What every node keeps for itself.
    sign_off_above
        Cost a month above which a second lead signs, in ``currency``.
    open_rules
        Names of rules from which a study may deviate, saying why.
    intake_request, intake_per_replica
        Request of a replica, and requests a second that it bears, where a service owner knows neither.
    failures
        How often things fail and how long they are down.

    """

    fewest_nodes_per_pool: int | None = None
    most_pods_per_node: int | None = None
    most_pools: int | None = None
    control_plane_members: int | None = None
    purchases: frozenset[Purchase] = frozenset()
    families: frozenset[str] = frozenset()
    regions: frozenset[str] = frozenset()
    required_labels: tuple[str, ...] = ()
    architecture: str = ""
    reservation: ReservationRule = field(default_factory=ReservationRule)
    sign_off_above: Decimal | None = None
    currency: str = "EUR"
    open_rules: frozenset[str] = frozenset()
    intake_request: Amounts = field(default_factory=lambda: Amounts(250, 512 * 2**20))
    intake_per_replica: float = 25.0
    failures: FailureData = field(default_factory=FailureData)


@dataclass(frozen=True, slots=True)
class Choices:
    """What a variant has chosen, as far as house rules speak of it."""

    fewest_nodes_per_pool: int | None = None
    most_pods_per_node: int | None = None
    most_pools: int | None = None
    control_plane_members: int = 1
    purchases: frozenset[Purchase] = frozenset({Purchase.ON_DEMAND})
    families: frozenset[str] = frozenset()
    region: str = ""


@dataclass(frozen=True, slots=True)
class Deviation:
    """A choice outside a rule: the rule's name, both values in words, and whether the rule is open to it."""

    rule: str
    asked: str
    chosen: str
    allowed: bool


def deviations(rules: HouseRules, choices: Choices) -> list[Deviation]:
    """Return where the choices leave the rules, in the order of ``RULES``."""
    return [Deviation(rule, asked, chosen, rule in rules.open_rules) for rule, asked, chosen in _broken(rules, choices)]


def _broken(rules: HouseRules, choices: Choices) -> Iterator[tuple[str, str, str]]:
    if rules.fewest_nodes_per_pool and (choices.fewest_nodes_per_pool or 0) < rules.fewest_nodes_per_pool:
        yield "fewest_nodes_per_pool", f"at least {rules.fewest_nodes_per_pool}", _count(choices.fewest_nodes_per_pool)
    for rule in ("most_pods_per_node", "most_pools"):
        most, chosen = getattr(rules, rule), getattr(choices, rule)
        if most and (chosen is None or chosen > most):
            yield rule, f"at most {most}", _count(chosen)
    if rules.control_plane_members and choices.control_plane_members < rules.control_plane_members:
        yield "control_plane_members", f"at least {rules.control_plane_members}", str(choices.control_plane_members)
    for rule in ("purchases", "families"):
        allowed, wanted = getattr(rules, rule), getattr(choices, rule)
        if allowed and not wanted <= allowed:
            yield rule, f"only {_names(allowed)}", _names(wanted)
    if rules.regions and choices.region and choices.region not in rules.regions:
        yield "regions", f"only {_names(rules.regions)}", choices.region


def _count(number: int | None) -> str:
    return "no limit" if number is None else str(number)


def _names(names: frozenset[str]) -> str:
    return ", ".join(sorted(names))


def unlabelled(rules: HouseRules, labels: Mapping[str, Sequence[str]]) -> dict[str, tuple[str, ...]]:
    """Return, by workload, the required labels that it lacks; workloads that carry all are left out."""
    lacking = {
        name: tuple(key for key in rules.required_labels if key not in carried) for name, carried in labels.items()
    }
    return {name: keys for name, keys in lacking.items() if keys}

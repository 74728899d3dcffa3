"""An answer to a fitting problem: nodes with their replicas, cost, floor and status."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from decimal import Decimal
from enum import StrEnum

from rombel.model.fit_problem import OfferKey, Purchase


class FitStatus(StrEnum):
    """How the search ended.

    ``INFEASIBLE``: it is proved that there is no answer. ``UNKNOWN``: none was found, and none is proved not to exist.
    """

    OPTIMAL = "optimal"
    FEASIBLE = "feasible"
    STOPPED = "stopped"
    INFEASIBLE = "infeasible"
    UNKNOWN = "unknown"


@dataclass(frozen=True, slots=True)
class NodeBatch:
    """``count`` identical nodes, each carrying the same replicas (workload name to number)."""

    instance_type: str
    purchase: Purchase
    zone: str
    count: int
    replicas: Mapping[str, int]

    @property
    def offer(self) -> OfferKey:
        """Return the offer that they are of."""
        return self.instance_type, self.purchase, self.zone


@dataclass(frozen=True, slots=True)
class Landing:
    """Replicas that land on one surviving node; ``node`` counts after expanding the groups, in order, from 0."""

    node: int
    replicas: Mapping[str, int]


@dataclass(frozen=True, slots=True)
class RoomPrice:
    """What a unit of each resource of a node of the offer is priced at, in the state in which a zone is lost (empty: none)."""

    offer: OfferKey
    lost: str
    prices: Mapping[str, Decimal]


@dataclass(frozen=True, slots=True)
class Certificate:
    """Prices an hour that prove a floor.

    Parameters
    ----------
    worth
        By workload, and by the zone where it runs or, where replicas land, by the zone that is lost: what one replica is worth.
    room
        Of the nodes of each offer; what is left out is priced at nothing.
    within
        Where using a zone costs something of its own: prices that prove floors of the nodes in some of the zones alone.

    """

    worth: Mapping[str, Mapping[str, Decimal]]
    room: tuple[RoomPrice, ...]
    within: Mapping[tuple[str, ...], Certificate] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class FitSolution:
    """The computed answer.

    Parameters
    ----------
    status
        See ``FitStatus``.
    currency
        The problem's.
    cost_per_hour, floor_per_hour
        What the nodes and the zones they use cost, and the proven lower bound no answer can go under. Zero without an answer.
    nodes
        The nodes in groups.
    landing
        For each zone that may be lost, where its replicas land. None where nothing has to land.
    reasons
        In the planner's terms; always there when there is no answer.
    growing
        For each zone that may be lost, the new nodes that its waiting replicas run on. None where nothing grows.
    certificate
        Prices that prove the floor, or most of it. None where there are none.

    """

    status: FitStatus
    currency: str
    cost_per_hour: Decimal
    floor_per_hour: Decimal
    nodes: tuple[NodeBatch, ...] = ()
    landing: Mapping[str, tuple[Landing, ...]] | None = None
    reasons: tuple[str, ...] = field(default=())
    growing: Mapping[str, tuple[NodeBatch, ...]] | None = None
    certificate: Certificate | None = None

    @property
    def found(self) -> bool:
        """Return whether there is an answer; one to a problem that asks for nothing has no nodes."""
        return self.status not in (FitStatus.INFEASIBLE, FitStatus.UNKNOWN)

    @property
    def gap(self) -> float:
        """Return how far the cost stands above the floor, as a share of the floor (0.01 is 1 %)."""
        return float(self.cost_per_hour / self.floor_per_hour - 1) if self.floor_per_hour else 0.0


def counted(batches: Iterable[NodeBatch]) -> Counter[OfferKey]:
    """Return the nodes of each pool and zone."""
    counts: Counter[OfferKey] = Counter()
    for batch in batches:
        counts[batch.offer] += batch.count
    return counts


def best_of(one: FitSolution, other: FitSolution) -> FitSolution:
    """Return the cheaper of two answers of one problem, the first of equals, with the higher of their floors, which holds for both.

    Where only one of them has an answer it is returned as it is.
    """
    # No answer never beats one; of two without, the first tells why.
    if not (one.found and other.found):
        return one if one.found or not other.found else other
    cheaper, rest = (one, other) if one.cost_per_hour <= other.cost_per_hour else (other, one)
    # Both floors hold for the problem, so the better one goes with the cheaper answer.
    proved = rest if rest.floor_per_hour > cheaper.floor_per_hour else cheaper
    floor = min(proved.floor_per_hour, cheaper.cost_per_hour)
    status = FitStatus.OPTIMAL if floor == cheaper.cost_per_hour else cheaper.status
    return replace(cheaper, floor_per_hour=floor, status=status, certificate=proved.certificate)

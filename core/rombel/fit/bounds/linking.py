"""Step 4. The linking constraints, the rows that tie everything together, shared by the divisible relaxation and the pattern program.

A *scenario* is what is left standing: the one scenario of a study without landing, or one scenario for each zone
that may be lost. In every scenario the nodes still there must cover what must run then:

* one scenario: for each class and zone, the nodes of the zone cover ``y(class, zone)`` replicas; a class that is free to
  choose its zones is covered by all nodes together;
* landing, zone z lost: the nodes outside z cover all replicas of every class that lands, and of every other
  class those that stood outside z.

``y`` is bound by the totals, by the counts that the spread rule leaves to a zone, and under *standing* by what must be
left without each zone. That no replica moves in a landing is left out here, which keeps the
relaxation valid.
"""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from rombel.fit.bounds._highs import INFINITY, Columns, Floats, Stop, never
from rombel.fit.problem.instance import UNLIMITED, Instance
from rombel.model.fit_problem import Survival


@dataclass(slots=True)
class Linking:
    """The linking constraints as rows and columns. S scenarios, I classes, J offers, Z zones.

    Parameters
    ----------
    instance
        What is being solved.
    lower, upper
        Bounds of the rows made so far.
    columns
        Columns ``n(offer)`` first, then ``y``.
    cover
        (S, J, I) row that a replica of class i on offer j covers in scenario s; -1: none.
    nodes
        (S, J) row that holds ``nodes used in scenario s <= n(offer)``; -1: the offer is gone in that scenario.
    extra
        (offer, row, coefficient) of every other row in which the nodes of an offer count.
    stop
        Says whether somebody wishes to stop; asked while programs on these rows are solved.

    """

    instance: Instance
    lower: list[float] = field(default_factory=list)
    upper: list[float] = field(default_factory=list)
    columns: Columns = field(default_factory=Columns)
    cover: np.ndarray = field(default_factory=lambda: np.zeros((0, 0, 0), np.int32))
    nodes: np.ndarray = field(default_factory=lambda: np.zeros((0, 0), np.int32))
    extra: list[tuple[int, int, float]] = field(default_factory=list)
    stop: Stop = never

    def row(self, lower: float, upper: float = INFINITY) -> int:
        """Add a row and return its index."""
        self.lower.append(lower)
        self.upper.append(upper)
        return len(self.lower) - 1

    @property
    def scenarios(self) -> int:
        """Return the number of scenarios."""
        return len(self.nodes)

    def replica_price(self, dual: Floats) -> Floats:
        """Return (S, J, I) what the rows' prices pay for a replica of each class on each offer in each scenario."""
        paid: Floats = np.where(self.cover >= 0, dual[self.cover], 0.0)
        # Rows of at least have prices of zero or more; what is under it is the solver's tolerance.
        return np.maximum(paid, 0.0)

    @property
    def pairs(self) -> np.ndarray:
        """(S, J, I) whether a replica of the class may stand on the offer in the scenario."""
        may_stand: np.ndarray = (self.cover >= 0) & (self.instance.most_on_node > 0)[None]
        return may_stand

    def extra_pay(self, dual: Floats) -> Floats:
        """Return (J,) what the rows in ``extra`` pay for a node of each offer."""
        pay = np.zeros(len(self.instance.offers))
        for offer, row, factor in self.extra:
            pay[offer] += factor * dual[row]
        return pay

    def floor(self, objective: float, dual: Floats, reduced: Floats, asked: Floats) -> float:
        """Return the floor that prices prove, given what they pay at most for what a node carries.

        All prices are scaled by the worst ratio of an offer's price to what is paid for its node, which makes them
        feasible for the full program; a quota takes part of the pay. (Farley 1990, Oper. Res. 38:922-923, from memory.)

        Parameters
        ----------
        objective, dual, reduced
            Value, row prices and (J,) reduced costs of the nodes' columns of a restricted program.
        asked
            (J,) upper bounds on the pay for one node's loads, summed over the scenarios.

        """
        instance = self.instance
        # Rows over several offers pay less than nothing where they are scarce, which lowers what a node may be paid.
        pay = asked + self.extra_pay(dual)
        limited = instance.quota < UNLIMITED
        # An offer with a quota may be paid more than it costs: each of its nodes then earns the difference, at most quota times.
        quota_pay = np.where(limited, np.maximum(pay - instance.cost, 0.0), 0.0)
        # The program's value holds that difference already as far as the restricted program saw it.
        taken = np.where(limited, np.maximum(-reduced, 0.0), 0.0)
        value = objective - float(((quota_pay - taken) * np.where(limited, instance.quota, 0)).sum())
        pay -= quota_pay
        # Every other constraint of the dual is homogeneous, so scaling all prices by one ratio keeps them.
        ratio = float(np.min(np.where(pay > 0, instance.cost / np.maximum(pay, 1e-300), 1.0), initial=1.0))
        return value * ratio


def build_linking(instance: Instance, stop: Stop = never) -> Linking:
    """Return the rows and columns that every relaxation of the instance shares."""
    linking = Linking(instance, stop=stop)
    landing = bool(instance.lands.any())
    scenarios = len(instance.problem.zones) if landing else 1
    offers, classes = instance.per_node.shape
    linking.nodes = np.full((scenarios, offers), -1, np.int32)
    linking.cover = np.full((scenarios, offers, classes), -1, np.int32)
    for scenario in range(scenarios):
        for offer in range(offers):
            # In the scenario in which a zone is lost its offers have no row: nothing of them stands.
            if not landing or instance.zone[offer] != scenario:
                linking.nodes[scenario, offer] = linking.row(0.0)
    tail = Columns()
    for i in range(classes):
        _class_rows(linking, i, landing, tail)
    # A quota over several offers limits their nodes together; each node uses its part of it.
    for use, most in zip(instance.shared_use, instance.shared_most, strict=True):
        row = linking.row(-INFINITY, float(most))
        linking.extra += [(int(offer), row, float(use[offer])) for offer in np.flatnonzero(use)]
    _node_columns(linking)
    for cost, upper, lower, entries in tail_entries(tail):
        linking.columns.add(cost, entries, upper, lower)
    return linking


def tail_entries(batch: Columns) -> list[tuple[float, float, float, list[tuple[int, float]]]]:
    """Return cost, upper bound, lower bound and entries of each column of a batch."""
    ends = [*batch.starts, len(batch.rows)][1:]
    spans = zip(batch.starts, ends, strict=True)
    # The batch is stored in compressed form, and is read back column by column here.
    entries = [list(zip(batch.rows[begin:end], batch.values[begin:end], strict=True)) for begin, end in spans]
    return list(zip(batch.costs, batch.uppers, batch.lowers, entries, strict=True))


def _node_columns(linking: Linking) -> None:
    instance = linking.instance
    own: list[list[tuple[int, float]]] = [[] for _ in instance.offers]
    # Every scenario in which the node stands shares the one node: it is paid for once and serves in all.
    for offer, row, factor in linking.extra:
        own[offer].append((row, factor))
    for offer in range(len(instance.offers)):
        # The nodes' own rows, then what they take of common quotas.
        entries = [(int(row), 1.0) for row in linking.nodes[:, offer] if row >= 0] + own[offer]
        quota = float(instance.quota[offer])
        linking.columns.add(float(instance.cost[offer]), entries, INFINITY if quota >= UNLIMITED else quota)


def _class_rows(linking: Linking, i: int, landing: bool, tail: Columns) -> None:
    """Add the rows and the ``y`` columns of one class."""
    instance = linking.instance
    zones = instance.usable_zones(i)
    if not landing and instance.free(i):
        # No rule looks at its zones, so one row over all offers says it all and the y columns are spared.
        row = linking.row(float(instance.workloads[i].replicas))
        linking.cover[0, instance.per_node[:, i] > 0, i] = row
        return
    entries: dict[int, list[tuple[int, float]]] = {zone: [] for zone in zones}
    _total_rows(linking, i, entries)
    if landing:
        _scenario_rows(linking, i, entries)
    else:
        for zone in zones:
            row = linking.row(0.0)  # What the zone's nodes carry, less y(class, zone), is at least nothing.
            entries[zone].append((row, -1.0))
            here = instance.zone == zone
            linking.cover[0, here, i] = row
    _spread_rows(linking, i, entries, tail)
    for zone in zones:
        # What only one zone limits is a bound of its column and needs no row.
        low, high = instance.bounds[i, zone]
        tail.add(0.0, entries[zone], INFINITY if high >= UNLIMITED else float(high), float(low))


def _total_rows(linking: Linking, i: int, entries: dict[int, list[tuple[int, float]]]) -> None:
    """Ask for the replicas of the class; under *standing* also for the fewest that whole numbers allow."""
    instance = linking.instance
    least = float(instance.least_total[i])
    # Other promises place just what is asked for; under this one it may be more.
    if instance.promise(i) is not Survival.STANDING:
        row = linking.row(least, least)
        for zone in entries:
            entries[zone].append((row, 1.0))
        return
    total = linking.row(least)
    for zone in entries:
        entries[zone].append((total, 1.0))
    # Whichever zone is lost, enough stand in the others.
    for lost in entries:
        row = linking.row(float(instance.workloads[i].left))
        for zone in entries:
            if zone != lost:
                entries[zone].append((row, 1.0))


def rules_spread(instance: Instance, i: int) -> bool:
    """Return whether rows keep a class's counts over zones together: the bounds of each zone alone do not say it all."""
    skew = int(instance.skew[i])
    return skew >= 2 or (skew >= 0 and instance.promise(i) is Survival.STANDING)


def _spread_rows(linking: Linking, i: int, entries: dict[int, list[tuple[int, float]]], tail: Columns) -> None:
    """Keep the counts of a class over its zones within its largest difference, where the bounds of each zone do not say it all."""
    instance, skew = linking.instance, int(linking.instance.skew[i])
    if not rules_spread(instance, i):
        return
    fewest = []  # One more column stands for the fewest replicas of any zone; each zone lies within the skew above it.
    for zone in entries:
        row = linking.row(0.0, float(skew))
        entries[zone].append((row, 1.0))
        fewest.append((row, -1.0))
    full = instance.domains[i].sum() > len(entries)  # A zone that cannot hold any has the fewest, and that is none.
    tail.add(0.0, fewest, 0.0 if full else INFINITY)


def _scenario_rows(linking: Linking, i: int, entries: dict[int, list[tuple[int, float]]]) -> None:
    instance = linking.instance
    lands = bool(instance.lands[i])
    for scenario in range(linking.scenarios):
        # What lands must all be carried outside the lost zone; of what does not, only what stood there to begin with.
        need = float(instance.workloads[i].replicas) if lands else 0.0
        row = linking.row(need)
        if not lands:
            for zone in entries:
                if zone != scenario:
                    entries[zone].append((row, -1.0))
        here = instance.zone != scenario
        linking.cover[scenario, here, i] = row


def scaled_resources(instance: Instance) -> tuple[Floats, Floats]:
    """Return capacity (J, R) and request (I, R) divided by the largest capacity of each resource."""
    # Bytes beside millicores would leave the solver with coefficients nine orders of magnitude apart.
    largest = np.maximum(instance.capacity.max(axis=0, initial=0), 1).astype(float)
    return instance.capacity / largest, instance.request / largest

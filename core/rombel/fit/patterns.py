"""The pattern program: columns are whole node loads, found by column generation; its value is the floor.

Every column is a load (how many replicas of each class one node of an offer carries in a state). Pricing is an
exact bounded knapsack. **The floor is valid at every round**: given any duals, each offer's price is compared
with the sum over states of the best load's worth; scaling all duals by the worst ratio makes them feasible for the
full program, so the scaled dual value bounds every answer from below. (Farley 1990, Oper. Res. 38:922-923, from
memory.)
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np

from rombel.fit._highs import INFINITY, Columns, Floats, LinearModel
from rombel.fit._knapsack import price_patterns
from rombel.fit.coupling import Coupling
from rombel.fit.divisible import Divisible
from rombel.fit.instance import Ints


@dataclass(frozen=True, slots=True)
class PatternParams:
    """How far column generation goes.

    Parameters
    ----------
    most_knapsacks
        Knapsacks solved at most on the way; a round solves one for each offer and state.
    first_effort, last_effort
        Branches looked at for one knapsack: in the rounds on the way, and in rounds that find nothing new.
    most_integral_columns, most_tree_nodes
        The program is solved in whole numbers too when it has at most so many columns; its tree is bounded.
    close_enough
        Stop when floor and program value are this close, as a share.

    """

    most_knapsacks: int = 600
    first_effort: int = 1_500
    last_effort: int = 60_000
    most_integral_columns: int = 900
    most_tree_nodes: int = 400
    close_enough: float = 2e-4


@dataclass(slots=True)
class Patterns:
    """All columns made so far: offers (N,), states (N,), loads (N, I); the floor; prices of the last round.

    ``whole`` lists one (offer, load) for each node of the program's whole-number answer, where it was asked for.
    """

    offers: list[int] = field(default_factory=list)
    states: list[int] = field(default_factory=list)
    loads: list[Ints] = field(default_factory=list)
    floor: float = 0.0
    value: float = INFINITY
    rounds: int = 0
    worth: Floats = field(default_factory=lambda: np.zeros((0, 0, 0)))
    whole: list[tuple[int, Ints]] = field(default_factory=list)


class _Weights:
    """Best resource prices for given class values: the linear relaxation of every knapsack, all in one program."""

    def __init__(self, coupling: Coupling, pairs: Ints) -> None:
        instance = coupling.instance
        self._scale = np.maximum(instance.capacity.max(axis=0, initial=0), 1).astype(float)
        capacity, request = instance.capacity / self._scale, instance.request / self._scale
        width = request.shape[1]
        self._width, upper, batch, places = width, [], Columns(), []
        for number, (_, offer) in enumerate(pairs):
            upper.extend(capacity[offer].tolist())
            for i in np.flatnonzero(instance.per_node[offer]):
                entries = [(number * width + r, float(request[i, r])) for r in range(width) if request[i, r]]
                batch.add(0.0, entries, float(min(instance.per_node[offer, i], instance.total[i])))
                places.append((number, i))
        self._places = tuple(np.array(places, np.int64).reshape(-1, 2).T)
        self._model = LinearModel([-INFINITY] * len(upper), upper)
        self._model.add(batch)

    def at(self, values: Floats) -> Floats:
        """Return (B, R) prices at least 0 for (B, I) class values."""
        self._model.set_costs(-values[self._places])
        dual = -self._model.solve().dual
        prices: Floats = np.maximum(dual.reshape(-1, self._width), 0.0) / self._scale
        return prices


def generate_patterns(
    coupling: Coupling,
    start: Divisible,
    seeds: list[tuple[int, int, Ints]],
    on_round: Callable[[Patterns], bool],
    params: PatternParams,
) -> Patterns:
    """Return the columns and the floor.

    Parameters
    ----------
    coupling
        Rows shared by all relaxations.
    start
        The divisible relaxation: first floor and prices.
    seeds
        Columns to start with: (state, offer, load).
    on_round
        Called after every round; returns True to stop, the floor so far stays valid.
    params
        See ``PatternParams``.

    """
    master, found = _Master(coupling), Patterns(floor=start.floor)
    pairs = np.argwhere(coupling.nodes >= 0).astype(np.int64)
    weights = _Weights(coupling, pairs)
    _append(found, master, _single_loads(coupling) + seeds)
    worth, effort = start.worth, params.first_effort
    _append(found, master, _price(coupling, pairs, weights, worth, None, effort)[0])
    for found.rounds in range(1, max(3, params.most_knapsacks // len(pairs)) + 1):
        result = master.solve()
        if not result.optimal:
            break
        found.value = result.objective
        worth = np.where(coupling.cover >= 0, result.dual[coupling.cover], 0.0)
        fresh, ratio = _price(coupling, pairs, weights, worth, result.dual, effort)
        if found.value * ratio > found.floor:
            found.floor, found.worth = found.value * ratio, worth
        done = found.value * (1 - params.close_enough) <= found.floor or (not fresh and effort == params.last_effort)
        if on_round(found) or done:
            break
        effort = params.first_effort if fresh else params.last_effort
        _append(found, master, fresh)
    if coupling.states == 1 and len(found.loads) <= params.most_integral_columns:
        found.whole = _whole_nodes(found, master, params.most_tree_nodes)
    return found


def _whole_nodes(found: Patterns, master: _Master, most_tree_nodes: int) -> list[tuple[int, Ints]]:
    """Return the nodes of the program solved in whole numbers over the columns found; none when it gave nothing."""
    master.model.integral(np.arange(master.first, master.model.columns, dtype=np.int32))
    primal = master.model.solve(most_tree_nodes).primal
    if len(primal) != master.model.columns:
        return []
    counts = np.round(primal[master.first :]).astype(int)
    return [(found.offers[place], found.loads[place]) for place in np.flatnonzero(counts) for _ in range(counts[place])]


class _Master:
    """The restricted pattern program."""

    def __init__(self, coupling: Coupling) -> None:
        self.coupling = coupling
        self.model = LinearModel(coupling.lower, coupling.upper)
        self.model.add(coupling.columns)
        self.first = self.model.columns
        self.solve = self.model.solve

    def add(self, columns: list[tuple[int, int, Ints]]) -> None:
        """Append columns: a load uses one node of its offer and covers its classes in its state."""
        batch = Columns()
        for state, offer, load in columns:
            entries = [(int(self.coupling.nodes[state, offer]), -1.0)]
            rows: dict[int, float] = {}
            for i in np.flatnonzero(load):
                row = int(self.coupling.cover[state, offer, i])
                rows[row] = rows.get(row, 0.0) + float(load[i])
            batch.add(0.0, entries + list(rows.items()))
        if columns:
            self.model.add(batch)


def _append(found: Patterns, master: _Master, columns: list[tuple[int, int, Ints]]) -> None:
    master.add(columns)
    for state, offer, load in columns:
        found.states.append(state)
        found.offers.append(offer)
        found.loads.append(load)


def _single_loads(coupling: Coupling) -> list[tuple[int, int, Ints]]:
    """Return, for every state and class, the load of that class alone on each offer: a feasible start."""
    instance, columns = coupling.instance, []
    for state, offer in np.argwhere(coupling.nodes >= 0):
        for i in np.flatnonzero(instance.per_node[offer]):
            load = np.zeros(instance.per_node.shape[1], np.int64)
            load[i] = min(instance.per_node[offer, i], instance.total[i])
            columns.append((int(state), int(offer), load))
    return columns


def _price(
    coupling: Coupling, pairs: Ints, weights: _Weights, worth: Floats, dual: Floats | None, effort: int
) -> tuple[list[tuple[int, int, Ints]], float]:
    """Return the loads worth more than their node at these prices, and the ratio that makes the prices feasible."""
    instance = coupling.instance
    values = np.maximum(worth[pairs[:, 0], pairs[:, 1]], 0.0)
    most = np.minimum(instance.per_node[pairs[:, 1]], instance.total)
    weight = weights.at(values)
    loads, best, bounds = price_patterns(values, instance.request, instance.capacity[pairs[:, 1]], most, weight, effort)
    if dual is None:
        return [(int(s), int(j), loads[n]) for n, (s, j) in enumerate(pairs)], 0.0
    paid = np.maximum(dual[coupling.nodes[pairs[:, 0], pairs[:, 1]]], 0.0)
    fresh = [(int(s), int(j), loads[n]) for n, (s, j) in enumerate(pairs) if best[n] > paid[n] + 1e-7 * (1 + paid[n])]
    asked = np.zeros(len(instance.offers))
    np.add.at(asked, pairs[:, 1], np.maximum(bounds, 0.0))
    asked -= _quota_worth(coupling, paid, pairs)
    ratio = float(np.min(np.where(asked > 0, instance.price / np.maximum(asked, 1e-300), 1.0), initial=1.0))
    return fresh, ratio


def _quota_worth(coupling: Coupling, paid: Floats, pairs: Ints) -> Floats:
    """Return (J,) what the quota of each offer is worth: what the states pay for a node above its price.

    It is a dual too and scales with the others, so it is taken off what the states ask of the price.
    """
    instance = coupling.instance
    total = np.zeros(len(instance.offers))
    np.add.at(total, pairs[:, 1], paid)
    return np.where(instance.quota < 10**9, np.maximum(total - instance.price, 0.0), 0.0)

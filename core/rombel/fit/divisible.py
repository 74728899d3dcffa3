"""The relaxation with divisible replicas: the first floor, and the prices that everything else starts from.

Every replica may be cut into parts and every node bought in parts. Its value is a lower bound on the cost;
its duals are the worth of a replica of each class in each zone, and of a unit of each resource on each offer.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from rombel.fit._highs import INFINITY, Columns, Floats, LinearModel
from rombel.fit.coupling import Coupling, scaled_resources


@dataclass(frozen=True, slots=True)
class Divisible:
    """The solved relaxation.

    Parameters
    ----------
    feasible
        Whether it has a solution; without one the problem has none.
    floor
        Lower bound on the cost, in whole-number prices.
    worth
        (S, J, I) worth of one replica of a class on an offer in a state.
    weight
        (S, J, R) worth of one unit of a resource on an offer in a state.
    nodes
        (J,) nodes of each offer, in parts.
    unplaced
        (I,) replicas that find no room; zero when feasible.

    """

    feasible: bool
    floor: float
    worth: Floats
    weight: Floats
    nodes: Floats
    unplaced: Floats


def solve_divisible(coupling: Coupling) -> Divisible:
    """Return the solved relaxation; when infeasible, solved again for the fewest replicas without room."""
    instance = coupling.instance
    lower, upper = list(coupling.lower), list(coupling.upper)
    room, batch = _placement_columns(coupling, lower, upper)
    model = LinearModel(lower, upper)
    model.add(_with_capacity(coupling, room))
    model.add(batch)
    result = model.solve()
    feasible = result.optimal
    unplaced = np.zeros(len(instance.workloads))
    if not feasible:
        unplaced = _fewest_unplaced(coupling, model)
    dual = result.dual if feasible else np.zeros(len(lower))
    nodes = result.primal[: len(instance.offers)] if feasible else np.zeros(len(instance.offers))
    worth = np.where(coupling.cover >= 0, dual[coupling.cover], 0.0)
    weight = np.where(room[..., None] >= 0, -dual[room[..., None] + np.arange(instance.request.shape[1])], 0.0)
    scale = np.maximum(instance.capacity.max(axis=0, initial=0), 1)
    return Divisible(feasible, result.objective if feasible else 0.0, worth, weight / scale, nodes, unplaced)


def _placement_columns(coupling: Coupling, lower: list[float], upper: list[float]) -> tuple[np.ndarray, Columns]:
    """Return (S, J) the first capacity row of each offer in each state, and a column for each class on it."""
    instance, batch = coupling.instance, Columns()
    _, request = scaled_resources(instance)
    width = request.shape[1]
    room = np.full(coupling.nodes.shape, -1, np.int64)
    for state, offer in np.argwhere(coupling.nodes >= 0):
        room[state, offer] = len(lower)
        lower.extend([-INFINITY] * width)
        upper.extend([0.0] * width)
        first = int(room[state, offer])
        for i in np.flatnonzero(instance.per_node[offer]):
            entries = [(int(coupling.cover[state, offer, i]), 1.0)]
            entries += [(first + r, float(request[i, r])) for r in range(width) if request[i, r]]
            batch.add(0.0, entries)
    return room, batch


def _with_capacity(coupling: Coupling, room: np.ndarray) -> Columns:
    """Return the coupling's columns, where each node brings its capacity in every state it stands in."""
    instance, source, batch = coupling.instance, coupling.columns, Columns()
    capacity, _ = scaled_resources(instance)
    ends = [*source.starts[1:], len(source.rows)]
    for column, (start, end) in enumerate(zip(source.starts, ends, strict=True)):
        entries = list(zip(source.rows[start:end], source.values[start:end], strict=True))
        if column < len(instance.offers):
            for state in np.flatnonzero(room[:, column] >= 0):
                first = int(room[state, column])
                entries += [(first + r, -float(value)) for r, value in enumerate(capacity[column]) if value]
        batch.add(source.costs[column], entries, source.uppers[column])
    return batch


def _fewest_unplaced(coupling: Coupling, model: LinearModel) -> Floats:
    """Return (I,) the replicas without room when as few as possible are left out."""
    classes, batch, owners = len(coupling.instance.workloads), Columns(), []
    model.set_costs(np.zeros(model.columns))
    for i in range(classes):
        for row in sorted({int(row) for row in np.unique(coupling.cover[:, :, i]) if row >= 0}):
            batch.add(1.0, [(row, 1.0)])
            owners.append(i)
    first = model.columns
    model.add(batch)
    result = model.solve()
    unplaced = np.zeros(classes)
    if result.optimal:
        np.add.at(unplaced, owners, result.primal[first:])
    return unplaced

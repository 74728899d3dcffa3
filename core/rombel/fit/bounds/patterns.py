"""Step 8. The pattern program: columns are whole node patterns, found by column generation; its value is the floor.

Every column is a pattern (how many replicas of each class one node of an offer carries in a scenario). Pricing is an
exact bounded knapsack. **The floor is valid at every round**: given any duals, each offer's price is compared
with the sum over scenarios of the best pattern's worth; scaling all duals by the worst ratio makes them feasible for the
full program, so the scaled dual value bounds every answer from below. (Farley 1990, Oper. Res. 38:922-923, from
memory.)
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np

from rombel.fit.bounds._highs import INFINITY, Columns, Floats, LinearModel, LinearResult
from rombel.fit.bounds.divisible import Divisible, divisible_limits
from rombel.fit.bounds.knapsack import price_patterns
from rombel.fit.bounds.linking import Linking
from rombel.fit.bounds.simplex import divisible_loads
from rombel.fit.problem.instance import Ints

MOST_TURNS = 400
BY_CHANCE = 0.7
"""A pattern at this part of a whole node may be bought before one that is whole."""
FEW_PAIRS, MORE_PATTERNS, SHORT_EFFORT = 8, 12, 400
"""With so few offers, so many further patterns are sought in a round, each with so many branches."""


@dataclass(frozen=True, slots=True)
class PatternParams:
    """How far column generation goes.

    Parameters
    ----------
    most_knapsacks
        Knapsacks solved at most on the way; a round solves one for each offer and scenario.
    first_effort, last_effort
        Branches looked at for one knapsack: in the rounds on the way, and in rounds that find nothing new.
    most_integral_columns, most_tree_nodes, most_checks
        The program is solved in whole numbers too when it has at most so many columns; its tree is bounded, and the solver's
        checks in it.
    close_enough
        Stop when floor and program value are this close, as a share.
    dives, dive_rounds
        Dives tried until one comes to the floor; rounds of new columns after every turn of a dive.

    """

    most_knapsacks: int = 600
    first_effort: int = 1_500
    last_effort: int = 60_000
    most_integral_columns: int = 900
    most_tree_nodes: int = 400
    most_checks: int = 80
    close_enough: float = 2e-4
    dives: int = 6
    dive_rounds: int = 12


@dataclass(slots=True)
class Patterns:
    """All columns made so far: offers (N,), scenarios (N,), patterns (N, I); the floor; prices of the last round.

    ``whole`` lists one (offer, pattern) for each node of the program's whole-number answer, where it was asked for.
    """

    offers: list[int] = field(default_factory=list)
    scenarios: list[int] = field(default_factory=list)
    patterns: list[Ints] = field(default_factory=list)
    floor: float = 0.0
    value: float = INFINITY
    rounds: int = 0
    replica_price: Floats = field(default_factory=lambda: np.zeros((0, 0, 0)))
    whole: list[tuple[int, Ints]] = field(default_factory=list)


def generate_patterns(
    linking: Linking,
    start: Divisible,
    on_round: Callable[[Patterns], bool],
    params: PatternParams,
) -> Patterns:
    """Return the columns and the floor.

    Parameters
    ----------
    linking
        Rows shared by all relaxations.
    start
        The divisible relaxation: first floor and prices.
    on_round
        Called after every round; returns True to stop, the floor so far stays valid.
    params
        See ``PatternParams``.

    """
    # The program starts from what the relaxation knows: its prices find the first patterns.
    master, found = _Master(linking), Patterns(floor=start.floor)
    pairs = np.argwhere(linking.nodes >= 0).astype(np.int64)
    # Each class alone on each offer: the first program has a solution whatever the prices of the relaxation miss.
    _append(found, master, _single_patterns(linking))
    replica_price, effort = linking.replica_price(start.dual), params.first_effort
    _append(found, master, _price(linking, pairs, replica_price, None, effort)[0])
    # With many pairs of scenario and offer a round takes long, and fewer rounds are granted.
    for found.rounds in range(1, max(3, params.most_knapsacks // len(pairs)) + 1):
        result = master.solve()
        if not result.optimal:
            break
        found.value = result.objective
        replica_price = linking.replica_price(result.dual)
        fresh, floor = _price(linking, pairs, replica_price, result, effort)
        # Prices of the best round are kept, which need not be the last one: floors swing.
        if floor > found.floor:
            found.floor, found.replica_price = floor, replica_price
        done = found.value * (1 - params.close_enough) <= found.floor or (not fresh and effort == params.last_effort)
        if on_round(found) or done:
            break
        # Only where a short look finds nothing is a long one worth its time: the bound of a knapsack stopped early is looser.
        effort = params.first_effort if fresh else params.last_effort
        _append(found, master, fresh)
    # With several scenarios a node's patterns are chosen apart in each, and a whole-number program would mix them.
    if linking.scenarios == 1 and len(found.patterns) <= params.most_integral_columns:
        found.whole = _whole_nodes(found, master, params)
    return found


def dive(
    linking: Linking, found: Patterns, target: float, params: PatternParams, turn: int = 0
) -> list[tuple[int, Ints]]:
    """Return nodes found by fixing patterns one after another, with new patterns priced on the way; none when it gave nothing.

    At every turn the program's whole parts are bought, or the pattern nearest to a whole node; what is left is solved again.
    Stops when the program's value rises above ``target``: nothing of use can follow. Every ``turn`` but the first chooses among
    patterns nearly as near by chance.
    """
    # Randomness only from the turn, so that the same dive is the same dive.
    chance = np.random.default_rng(turn)
    master = _Master(linking)
    dived = Patterns()
    _append(dived, master, list(zip(found.scenarios, found.offers, found.patterns, strict=True)))
    pairs = np.argwhere(linking.nodes >= 0).astype(np.int64)
    bought: dict[int, int] = {}
    for _ in range(MOST_TURNS):
        result = master.solve()
        for _ in range(params.dive_rounds):
            if not result.optimal:
                return []
            left = _left(linking, dived, bought)
            fresh, _ = _price(linking, pairs, linking.replica_price(result.dual), result, params.first_effort, left)
            if not fresh:
                break
            _append(dived, master, fresh)
            result = master.solve()
        # Nothing that fixing brings can make the value smaller again, so it is given up as soon as it is above the target.
        if not result.optimal or result.objective > target * (1 + 1e-7):
            # A share that is bought already does not count; what is over it is what the program still wants.
            return []
        amounts = result.primal[master.first :]
        rest = np.array([amount - bought.get(index, 0) for index, amount in enumerate(amounts)])
        whole = np.flatnonzero(rest >= 1 - 1e-6)
        if not len(whole):
            # All that is wanted is bought: the patterns are an answer.
            if rest.max(initial=0.0) <= 1e-6:
                return [(dived.offers[index], dived.patterns[index]) for index, n in bought.items() for _ in range(n)]
            # The nearest to a whole node is the safest to buy; later dives draw lots among those nearly as near.
            near = rest if turn == 0 else rest * chance.uniform(BY_CHANCE, 1.0, len(rest))
            whole = np.array([int(np.argmax(near))])
        for index in whole:
            bought[int(index)] = bought.get(int(index), 0) + max(1, int(rest[index] + 1e-6))
            # Bought patterns stay: their column may not fall under their count.
            master.model.at_least(master.first + int(index), float(bought[int(index)]))
    return []


def _left(linking: Linking, found: Patterns, bought: dict[int, int]) -> Ints:
    """Return (I,) the replicas that no bought pattern covers yet."""
    left = linking.instance.total.copy()
    for index, count in bought.items():
        left -= count * found.patterns[index]
    return np.maximum(left, 0)


def _whole_nodes(found: Patterns, master: _Master, params: PatternParams) -> list[tuple[int, Ints]]:
    """Return the nodes of the program solved in whole numbers over the columns found; none when it gave nothing."""
    master.model.integral(np.arange(master.first, master.model.columns, dtype=np.int32))
    primal = master.model.solve(params.most_tree_nodes, params.most_checks).primal
    # No answer has no values at all.
    if len(primal) != master.model.columns:
        return []
    counts = np.round(primal[master.first :]).astype(int)
    return [
        (found.offers[index], found.patterns[index]) for index in np.flatnonzero(counts) for _ in range(counts[index])
    ]


class _Master:
    """The restricted pattern program."""

    def __init__(self, linking: Linking) -> None:
        self.linking = linking
        self.model = LinearModel(linking.lower, linking.upper, linking.stop)
        self.model.add(linking.columns)
        self.first = self.model.columns
        self.solve = self.model.solve

    def add(self, columns: list[tuple[int, int, Ints]]) -> None:
        """Append columns: a pattern uses one node of its offer and covers its classes in its scenario."""
        batch = Columns()
        for scenario, offer, pattern in columns:
            # The node's row couples it to its price; the class's rows count what the pattern carries.
            entries = [(int(self.linking.nodes[scenario, offer]), -1.0)]
            rows: dict[int, float] = {}
            # Two classes of one group can share a row, so their counts are added up.
            for i in np.flatnonzero(pattern):
                row = int(self.linking.cover[scenario, offer, i])
                rows[row] = rows.get(row, 0.0) + float(pattern[i])
            batch.add(0.0, entries + list(rows.items()))
        if columns:
            self.model.add(batch)


def _append(found: Patterns, master: _Master, columns: list[tuple[int, int, Ints]]) -> None:
    master.add(columns)
    for scenario, offer, pattern in columns:
        found.scenarios.append(scenario)
        found.offers.append(offer)
        found.patterns.append(pattern)


def _single_patterns(linking: Linking) -> list[tuple[int, int, Ints]]:
    """Return, for every scenario and class, the pattern of that class alone on each offer: a feasible start."""
    instance, columns = linking.instance, []
    for scenario, offer in np.argwhere(linking.nodes >= 0):
        for i in np.flatnonzero(instance.most_on_node[offer]):
            pattern = np.zeros(instance.per_node.shape[1], np.int64)
            # Never more replicas than there are: the rest of such a column would be bought for nothing.
            pattern[i] = min(instance.most_on_node[offer, i], instance.total[i])
            columns.append((int(scenario), int(offer), pattern))
    return columns


def _more_patterns(
    pairs: Ints,
    values: Floats,
    request: Ints,
    capacity: Ints,
    most: Ints,
    room_price: Floats,
    patterns: Ints,
    paid: Floats,
) -> list[tuple[int, int, Ints]]:
    """Return further patterns that pay, each without the classes of those before: many columns at the price of few."""
    more, left = [], most.copy()
    for _ in range(MORE_PATTERNS):
        # Each further pattern leaves out what those before it carry, so that the columns differ.
        left = np.where(patterns > 0, np.maximum(left - patterns, 0), left)
        patterns, best, _ = price_patterns(values, request, capacity, left, room_price, SHORT_EFFORT)
        wanted = np.flatnonzero(best > paid * (1 + 1e-6))
        if not len(wanted):
            break
        more += [(int(pairs[n, 0]), int(pairs[n, 1]), patterns[n]) for n in wanted]
    return more


def _price(
    linking: Linking,
    pairs: Ints,
    replica_price: Floats,
    result: LinearResult | None,
    effort: int,
    left: Ints | None = None,
) -> tuple[list[tuple[int, int, Ints]], float]:
    """Return the patterns worth more than their node at these prices, and the floor that the prices prove."""
    instance = linking.instance
    offers = pairs[:, 1]
    values = replica_price[pairs[:, 0], offers]
    # On a dive a pattern that carries more than is left would be bought for replicas that stand already.
    most = np.minimum(instance.most_on_node[offers], instance.total if left is None else left)
    capacity = instance.capacity[offers]
    # The prices of room guide the branches and bound them.
    room_price, _, _ = divisible_loads(values, divisible_limits(instance)[offers], instance.request, capacity)
    patterns, best, bounds = price_patterns(values, instance.request, capacity, most, room_price, effort)
    if result is None:
        return [(int(s), int(j), patterns[n]) for n, (s, j) in enumerate(pairs)], 0.0
    # Scenario rows share the price of the node: a pattern pays where it earns more than its row.
    paid = np.maximum(result.dual[linking.nodes[pairs[:, 0], offers]], 0.0)
    wanted = [n for n in range(len(pairs)) if best[n] > paid[n] + 1e-7 * (1 + paid[n])]
    fresh = [(int(pairs[n, 0]), int(pairs[n, 1]), patterns[n]) for n in wanted]
    if wanted and len(pairs) <= FEW_PAIRS:
        fresh += _more_patterns(pairs, values, instance.request, capacity, most, room_price, patterns, paid)
    # The floor takes the knapsacks' bounds and not their best patterns, so it holds however early they were stopped.
    asked = np.zeros(len(instance.offers))
    np.add.at(asked, offers, np.maximum(bounds, 0.0))
    return fresh, linking.floor(result.objective, result.dual, result.reduced[: len(instance.offers)], asked)

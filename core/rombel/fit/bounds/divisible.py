"""Step 5. The relaxation with divisible replicas: the first floor, and the prices that everything else starts from.

Every replica may be cut into parts and every node bought in parts. Its value is a lower bound on the cost;
its duals are the worth of a replica of each class in each zone, and of a unit of each resource on each offer.

Only the pairs of class and offer that pay are made columns. Which do is asked of every offer at once, by the best
divisible load of its node at the prices so far; what all offers answer makes the floor valid at every round.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from rombel.fit.bounds._highs import Columns, Floats, LinearModel, LinearResult
from rombel.fit.bounds.linking import Linking, scaled_resources, tail_entries
from rombel.fit.bounds.simplex import MANY, SLACK, divisible_loads
from rombel.fit.problem.instance import DEAREST, Instance, Ints

MOST_ROUNDS = 60
MOST_PAIRS = 60_000
"""Pairs of class and offer added at most to prove that replicas find no room."""
CLOSE_ENOUGH = 2e-6
"""Rounds end when the floor is this close to the program's value, as a share."""
FIRST_OFFERS = 2
"""How many of the cheapest offers for a class alone start as columns."""
NEAR = 0.004
"""A class joins an offer's columns when its room costs at most this share more than it is worth."""


@dataclass(frozen=True, slots=True)
class Divisible:
    """The solved relaxation.

    Parameters
    ----------
    feasible
        Whether it has a solution.
    proved
        Whether, where it has none, the problem has none either: no pair of class and offer that was left out would help.
    floor
        Lower bound on the cost, in whole-number prices.
    replica_price
        (S, J, I) worth of one replica of a class on an offer in a scenario.
    room_price
        (S, J, R) worth of one unit of a resource on an offer in a scenario.
    nodes
        (J,) nodes of each offer, in parts.
    unplaced
        (I,) replicas that find no room; zero when feasible.
    dual
        Prices of the linking constraints.
    amounts
        (J, I) replicas of each class on all nodes of each offer, in parts, in the first scenario.

    """

    feasible: bool
    proved: bool
    floor: float
    replica_price: Floats
    room_price: Floats
    nodes: Floats
    unplaced: Floats
    dual: Floats
    amounts: Floats


class Relaxation:
    """The program, with the columns found so far; solved again and again as rows' bounds change.

    Parameters
    ----------
    linking
        Rows and columns shared by all relaxations.
    pairs
        (S, J, I) pairs of class and offer to start with besides those with the cheapest offers; None: no others.

    """

    def __init__(self, linking: Linking, pairs: np.ndarray | None = None) -> None:
        self.linking, instance = linking, linking.instance
        self._capacity, self._request = scaled_resources(instance)
        # A row for the room of a node is made only when a column needs it: most offers never carry anything.
        self._pairs = np.argwhere(linking.nodes >= 0)
        self._room = np.full(linking.nodes.shape, -1, np.int64)
        self.model = LinearModel(linking.lower, linking.upper, linking.stop)
        self.model.add(self._linked_columns())
        self._made = np.zeros(linking.cover.shape, np.bool_)
        self._owners = self._add_missing()
        self._first, self._pairs_from = len(instance.offers), self.model.columns
        self._pair_of: list[tuple[int, int, int]] = []
        self._limited = [w.most_per_node is not None for w in instance.workloads]
        self._limits: list[tuple[int, int, int]] = []
        # Wanted pairs come from a rougher program; the cheapest offers make sure that every row has some column.
        wanted = np.zeros(linking.cover.shape, np.bool_) if pairs is None else pairs
        self._add(sorted({*self._first_columns(wanted), *((s, j, i) for s, j, i in np.argwhere(wanted).tolist())}))

    def solve(self, rounds: int = MOST_ROUNDS) -> Divisible:
        """Return the relaxation solved in at most so many rounds of new columns; its floor is valid after any."""
        found = self._solved(rounds)
        if not found.feasible and not found.proved and not self.linking.stop():
            # Columns left out might help: only with all of them does a program without a solution say something of the problem.
            missing = self._least_missing()
            if missing is None or missing.sum() > 1e-6:
                return replace(
                    found, proved=missing is not None, unplaced=found.unplaced if missing is None else missing
                )
            found = self._solved(rounds)
        return found

    def _solved(self, rounds: int) -> Divisible:
        linking, instance = self.linking, self.linking.instance
        floor, nothing = 0.0, np.zeros(len(instance.workloads))
        replica_price, room_price = (
            np.zeros(linking.cover.shape),
            np.zeros((*linking.nodes.shape, self._request.shape[1])),
        )
        result = self.model.solve()
        # Column generation: price the pairs not made yet, add those that pay, solve again.
        for _ in range(rounds):
            if not result.optimal or linking.stop():
                break
            replica_price = linking.replica_price(result.dual)
            room_price, asked, fresh = self._price(replica_price, result)
            # Prices of an earlier round may prove more than the last ones: they swing before they settle.
            floor = max(floor, linking.floor(result.objective, result.dual, result.reduced[: self._first], asked))
            broken = self._limit(result)
            # While a limit is broken the value is too low, and being close to the floor means nothing.
            if not broken and (result.objective * (1 - CLOSE_ENOUGH) <= floor or not fresh):
                break
            self._add(fresh)
            result = self.model.solve()
        # A missing replica in the optimum means that no column known carries it, at whatever price.
        missing = self._missing(result)
        if not result.optimal or missing.sum() > 1e-6:
            none = np.zeros(self._first)
            return Divisible(
                False, result.impossible, 0.0, replica_price, room_price, none, missing, result.dual, replica_price[0]
            )
        return Divisible(
            True,
            False,
            floor,
            linking.replica_price(result.dual),
            room_price,
            result.primal[: self._first],
            nothing,
            result.dual,
            self.amounts_of(result),
        )

    def _missing(self, result: LinearResult) -> Floats:
        """Return (I,) the replicas of each class that find no room."""
        missing = np.zeros(len(self.linking.instance.workloads))
        if result.optimal:
            np.add.at(missing, self._owners[1], result.primal[self._missing_columns])
        return missing

    @property
    def _missing_columns(self) -> NDArray[np.int32]:
        return np.arange(self._owners[0], self._owners[0] + len(self._owners[1]), dtype=np.int32)

    def _least_missing(self) -> Floats | None:
        """Return (I,) what is missing at least whatever nodes cost, all pairs made columns; None: they are too many.

        However dear a missing replica is, to find room for it may cost more, so a price on it proves nothing. Where none need
        be missing, none may be from here on.
        """
        rest = self.linking.pairs & ~self._made
        if rest.sum() > MOST_PAIRS:
            return None
        self._add([(s, j, i) for s, j, i in np.argwhere(rest).tolist()])
        # The objective is now only what is missing; prices of nodes must not make it look dear to place a replica.
        costs, columns = np.zeros(self.model.columns), self._missing_columns
        costs[columns] = 1.0
        self.model.set_costs(costs)
        result = self.model.solve()
        # Limits on a node are added lazily, and each one may leave more without room.
        while result.optimal and self._limit(result):
            result = self.model.solve()
        missing = self._missing(result)
        costs[columns] = 10.0 * DEAREST
        costs[: self._first] = self.linking.instance.cost
        self.model.set_costs(costs)
        if not result.optimal:
            return None
        if missing.sum() <= 1e-6:
            # There is room for all; without the dear columns the next prices are those of nodes alone.
            self.model.bound_columns(columns, np.zeros(len(columns)), np.zeros(len(columns)))
        return missing

    def amounts_of(self, result: LinearResult) -> Floats:
        """Return (J, I) replicas of each class on all nodes of each offer, in parts, in the first scenario."""
        amounts = np.zeros(self.linking.cover.shape[1:])
        for (scenario, offer, i), amount in zip(self._pair_of, result.primal[self._pairs_from :], strict=False):
            if scenario == 0:
                amounts[offer, i] += amount
        return amounts

    def _price(self, replica_price: Floats, result: LinearResult) -> tuple[Floats, Floats, list[tuple[int, int, int]]]:
        """Return (S, J, R) weights, (J,) what nodes are paid, and the pairs that would pay (scenario, offer, class)."""
        instance = self.linking.instance
        scenarios, offers = self._pairs.T
        values, allowed = replica_price[scenarios, offers], instance.most_on_node[offers] > 0
        # The dual of a node's own little program says what each unit of its room is worth at these prices.
        limits = divisible_limits(instance)[offers]
        rates, bases, pay = divisible_loads(values, limits, instance.request, instance.capacity[offers])
        room_price = np.zeros((*self.linking.nodes.shape, rates.shape[1]))
        room_price[scenarios, offers] = rates
        asked = np.zeros(len(instance.offers))
        # An offer stands in several scenarios, and its node is paid in all of them together.
        np.add.at(asked, offers, pay)
        extra = self.linking.extra_pay(result.dual)
        # An offer at its quota has a negative reduced cost: it earns that much already and needs to earn it again.
        gain = asked - (instance.cost - np.minimum(result.reduced[: self._first], 0.0) - extra)
        wanted = (gain > CLOSE_ENOUGH / 4 * instance.cost)[offers]
        rooms = rates @ instance.request.T
        # The best load alone would make one column a round; what nearly pays comes along and spares rounds.
        near = allowed & wanted[:, None] & (values > 0) & (rooms <= values * (1 + NEAR))
        for index in np.flatnonzero(wanted):
            # The basis of the node's program is what it would carry, so these columns at least must exist.
            near[index, [i for i in bases[index] if i != SLACK]] = True
        near &= ~self._made[scenarios, offers]
        return room_price, asked, [(int(scenarios[b]), int(offers[b]), int(i)) for b, i in np.argwhere(near)]

    def _first_columns(self, wanted: np.ndarray) -> list[tuple[int, int, int]]:
        """Return for every cover row without a wanted pair the offers that carry its class alone for the least price."""
        instance, chosen = self.linking.instance, []
        served = set(np.unique(self.linking.cover[wanted]).tolist())
        # Alone on a node a replica takes the share of its scarcest resource.
        shares = (instance.request[None] / np.maximum(instance.capacity, 1)[:, None]).max(axis=2)
        alone = np.where(instance.per_node > 0, instance.cost[:, None] * np.maximum(shares, 1e-9), np.inf)
        for scenario in range(self.linking.scenarios):
            cover = self.linking.cover[scenario]
            for i in range(cover.shape[1]):
                # A row that is served already needs no first column.
                seen: dict[int, int] = dict.fromkeys(served, FIRST_OFFERS)
                for offer in np.argsort(alone[:, i], kind="stable"):
                    row = int(cover[offer, i])
                    if not np.isfinite(alone[offer, i]):
                        break
                    if row >= 0 and seen.get(row, 0) < FIRST_OFFERS:
                        seen[row] = seen.get(row, 0) + 1
                        chosen.append((scenario, int(offer), i))
        return chosen

    def _add(self, columns: list[tuple[int, int, int]]) -> None:
        """Make columns of pairs."""
        batch, width = Columns(), self._request.shape[1]
        self._furnish(sorted({offer for scenario, offer, _ in columns if self._room[scenario, offer] < 0}))
        for scenario, offer, i in columns:
            first = int(self._room[scenario, offer])
            # The pair takes room of its node and covers its class; both in the same scenario.
            entries = [(int(self.linking.cover[scenario, offer, i]), 1.0)]
            entries += [(first + r, float(self._request[i, r])) for r in range(width) if self._request[i, r]]
            batch.add(0.0, entries)
            self._made[scenario, offer, i] = True
        self._pair_of += columns
        if columns:
            first_column = self.model.columns
            self.model.add(batch)
            limits = self._limits
            limits += [(first_column + n, j, i) for n, (_, j, i) in enumerate(columns) if self._limited[i]]

    def _limit(self, result: LinearResult) -> bool:
        """Let nodes take only so many replicas of the classes that a rule limits, where too many are taken; return whether any are."""
        if not self._limits:
            # As arrays, since a large program has tens of thousands of such columns.
            return False
        column, offer, i = np.array(self._limits, np.int64).T
        most = self.linking.instance.most_on_node[offer, i]
        # Few of these rows ever bind, so they are made once a solution breaks them.
        over = result.primal[column] > most * result.primal[offer] + 1e-7
        rows = [[(int(column[n]), 1.0), (int(offer[n]), -float(most[n]))] for n in np.flatnonzero(over)]
        self._limits = [self._limits[n] for n in np.flatnonzero(~over)]
        self.model.add_rows(rows, 0.0)
        return bool(rows)

    def _furnish(self, offers: list[int]) -> None:
        """Give offers rows for the room of their nodes in every scenario; only those with a column need them."""
        rows: list[list[tuple[int, float]]] = []
        # A scenario in which the offer's zone is lost has no node, and so no room.
        for offer in offers:
            for scenario in np.flatnonzero(self.linking.nodes[:, offer] >= 0):
                self._room[scenario, offer] = self.model.rows + len(rows)
                rows += [[(offer, -float(amount))] if amount else [] for amount in self._capacity[offer]]
        self.model.add_rows(rows, 0.0)

    def _linked_columns(self) -> Columns:
        """Return the columns of the linking constraints without the rows of nodes, which the rows of their room replace."""
        batch, own = Columns(), set(self.linking.nodes[self.linking.nodes >= 0].tolist())
        for cost, upper, lower, entries in tail_entries(self.linking.columns):
            batch.add(cost, [entry for entry in entries if entry[0] not in own], upper, lower)
        return batch

    def _add_missing(self) -> tuple[int, Ints]:
        """Add a dear column to every cover row, for replicas without room; return the first and their classes."""
        cover, batch, owners = self.linking.cover, Columns(), []
        # Were it cheap, a program could leave replicas out where nodes are dear, and call that the optimum.
        dear = 10.0 * DEAREST  # More than any answer costs, so that nothing is left out to save money.
        for i in range(cover.shape[2]):
            for row in np.unique(cover[:, :, i]):
                if row >= 0:
                    batch.add(dear, [(int(row), 1.0)])
                    owners.append(i)
        first = self.model.columns
        self.model.add(batch)
        return first, np.array(owners, np.int64)


def divisible_limits(instance: Instance) -> Ints:
    """Return (J, I) most replicas on a node as far as a rule limits them and not only the room; 0: may not run."""
    # Without a rule only the room limits, and the node's program has the room as rows already.
    limited = np.array([w.most_per_node is not None for w in instance.workloads], np.bool_)
    return np.where(limited | (instance.most_on_node == 0), instance.most_on_node, MANY)


def solve_divisible(linking: Linking) -> Divisible:
    """Return the solved relaxation; an infeasible one says which replicas find no room. Nothing is known where a stop is wished before."""
    if linking.stop():
        return _unknown(linking)
    return Relaxation(linking).solve()


def _unknown(linking: Linking) -> Divisible:
    """Return that nothing is known: neither an answer nor that there is none."""
    instance, rows = linking.instance, np.zeros(len(linking.lower))
    room_price = np.zeros((*linking.nodes.shape, instance.request.shape[1]))
    replica_price, amounts = np.zeros(linking.cover.shape), np.zeros(instance.per_node.shape)
    nodes, missing = np.zeros(len(instance.offers)), instance.total.astype(float)
    return Divisible(False, False, 0.0, replica_price, room_price, nodes, missing, rows, amounts)

"""An answer after a small edit: the nodes of the last answer stand, its prices steer and prove, and only what changed is placed anew.

Nothing is solved again: the prices that proved the last floor prove one for the edited problem too, since any prices do, and after a
small edit they are nearly the best. What they cannot know, a new workload's price, follows from the price of the room it takes.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from decimal import Decimal

import numpy as np

from rombel.errors import CheckFailed
from rombel.fit.bounds.aggregation import price_rows
from rombel.fit.bounds.certificate import certificate_of
from rombel.fit.bounds.divisible import Divisible
from rombel.fit.bounds.linking import Linking, build_linking
from rombel.fit.check.checker import check
from rombel.fit.losses.growth import growing_workloads
from rombel.fit.losses.spares import landing_loss, with_spares
from rombel.fit.observing import FitObserver
from rombel.fit.problem.building import build_instance
from rombel.fit.problem.dominance import undominated
from rombel.fit.problem.instance import Floats, Instance
from rombel.fit.problem.reasons import plain_reasons
from rombel.fit.run import FitParams
from rombel.fit.search.ruin_and_recreate import Prices, Search, SearchParams
from rombel.fit.solve import fit
from rombel.fit.zone_choice import least_charge, with_charges
from rombel.model.fit_problem import FitProblem
from rombel.model.fit_solution import Certificate, FitSolution, FitStatus, best_of

SPARE_SLOTS = 64


@dataclass(frozen=True, slots=True)
class RefitParams:
    """How the search goes once everything stands: this part of the budget of a small fit."""

    part: float = 0.03
    search: SearchParams = field(default_factory=lambda: SearchParams(first_temperature=0.0005))


def fit_knowing(
    problem: FitProblem,
    known: Sequence[FitSolution],
    *,
    seed: int = 0,
    params: FitParams | None = None,
    observer: FitObserver | None = None,
) -> FitSolution:
    """Return the fit that starts from the cheapest answer near some that are known; it is no dearer than those that hold here.

    What a known answer claims of its floor is not believed, as it may be of another problem: only its nodes count.

    Parameters
    ----------
    problem
        What is to be placed, on what.
    known
        Answers to this problem or to one much like it.
    seed, params, observer
        As of ``fit``.

    Raises
    ------
    CheckFailed
        When the answer breaks a rule, which would be a defect of ours.

    """
    # Answers of the study's other variants can be near as well; the cheapest one that serves is the start.
    near = [answer for each in known if (answer := refit(problem, each, seed=seed)) is not None]
    start = min(near, key=lambda answer: answer.cost_per_hour, default=None)
    best = fit(problem, seed=seed, params=params, observer=observer, before=start)
    for each in known:
        # An answer that is known and holds is never beaten by a worse one; its floor belongs to another problem and is dropped.
        if check(problem, each).holds:
            best = best_of(best, replace(each, floor_per_hour=Decimal(0), certificate=None))
    return best


def refit(
    problem: FitProblem, before: FitSolution, *, seed: int = 0, params: RefitParams | None = None
) -> FitSolution | None:
    """Return an answer close to another problem's, checked; None where that does not serve and only a whole fit can tell.

    Parameters
    ----------
    problem
        After the edit.
    before
        The last answer, with its certificate.
    seed, params
        Of the search.

    Raises
    ------
    CheckFailed
        When the answer breaks a rule, which would be a defect of ours.

    """
    if problem.zone_charges:
        # The prices that steer are those of nodes anywhere; which zones are used is left as it stands but for what waits.
        found = refit(problem.uncharged(), before, seed=seed, params=params)
        return None if found is None else _charged(problem, found)
    certificate = before.certificate
    # New nodes after a loss are a problem of their own each, and are not refitted.
    if certificate is None or not before.nodes or growing_workloads(problem) or any(plain_reasons(problem)):
        return None
    # Types that stand stay even where another one dominates them now: changing all nodes is no small edit.
    narrow = undominated(problem, keep={node.instance_type for node in before.nodes})
    instance = build_instance(narrow, standing={node.offer for node in before.nodes})
    if not instance.workloads:
        return None
    linking = build_linking(instance)
    prices = _prices_of(linking, certificate)
    search = _standing(instance, before, prices, seed, params or RefitParams())
    # What found no place may find one in a whole fit; that there is none is not said here.
    if not search.complete:
        return None
    found = _answer(linking, search, prices)
    solution = with_spares(narrow, found) if landing_loss(narrow).promised else found
    if solution is None:
        return None
    report = check(problem, solution)
    if not report.holds:
        raise CheckFailed(report.violations)
    return solution


def _charged(problem: FitProblem, found: FitSolution) -> FitSolution:
    """Return an answer with what its zones cost, and the floor with what any answer's cost at least."""
    whole = with_charges(problem, found)
    floor = found.floor_per_hour + least_charge(problem)
    status = FitStatus.OPTIMAL if floor == whole.cost_per_hour else FitStatus.FEASIBLE
    return replace(whole, floor_per_hour=floor, status=status)


def _standing(instance: Instance, before: FitSolution, prices: Divisible, seed: int, params: RefitParams) -> Search:
    """Return the search with the last answer's nodes, what waits placed and a few steps taken."""
    nodes = sum(node.count for node in before.nodes)
    # Room for the nodes that stand, for new ones, and for a step on the way.
    slots = int(1.2 * nodes) + len(instance.workloads) + SPARE_SLOTS
    # Compiled code takes arrays by their layout: another one would be compiled for anew.
    steer = Prices(np.ascontiguousarray(prices.replica_price), np.ascontiguousarray(prices.room_price))
    search = Search(instance, steer, slots, seed, params.search)
    search.stand(before)
    # At once at the lowest temperature: a small edit wants a small change.
    search.improve(0.0, 1.0, search.few_steps(params.part))
    return search


def _prices_of(linking: Linking, certificate: Certificate) -> Divisible:
    """Return the relaxation that the certificate's prices stand for on these rows, with the floor that they prove."""
    instance = linking.instance
    room_price = _room_prices(linking, certificate)
    # A class that the certificate does not know is worth what its room costs where that is least.
    rooms = np.einsum("sjr,ir->sji", room_price, instance.request)
    priced = (room_price.sum(axis=2) > 0)[:, :, None]
    paid = np.where(priced & linking.pairs, rooms, np.inf)
    # Old prices are given to the rows of the new problem by name; whatever they prove here is valid, if less.
    zones, landing = instance.problem.zones, linking.scenarios > 1
    prices = np.zeros(len(linking.lower))
    for scenario in range(linking.scenarios):
        for index, zone in enumerate(zones):
            here = instance.zone == index
            rows = linking.cover[scenario, here].max(axis=0, initial=-1)
            # The cheapest room is the price that a new class would have in a relaxation.
            least = paid[scenario, here].min(axis=0, initial=np.inf)
            for i in np.flatnonzero(rows >= 0):
                own = certificate.worth.get(instance.workloads[i].name)
                if own is not None:
                    prices[rows[i]] = float(own.get(zones[scenario] if landing else zone, 0)) / instance.money_per_cost
                elif np.isfinite(least[i]):
                    prices[rows[i]] = max(prices[rows[i]], least[i])
    return price_rows(linking, prices)


def _room_prices(linking: Linking, certificate: Certificate) -> Floats:
    """Return (S, J, R) the prices of room that the certificate names."""
    instance, landing = linking.instance, linking.scenarios > 1
    room_price = np.zeros((*linking.nodes.shape, instance.request.shape[1]))
    index = {entry.key(offer): j for j, (entry, offer) in enumerate(instance.offers)}
    scenarios = {zone: number for number, zone in enumerate(instance.problem.zones)}
    for room in certificate.room:
        offer = index.get(room.offer)
        # A promise that was added or dropped since leaves prices of other scenarios, which mean nothing here.
        if offer is not None and bool(room.lost) == landing and room.lost in (scenarios if landing else ("",)):
            scenario = scenarios[room.lost] if landing else 0
            prices = [float(room.prices.get(name, 0)) for name in instance.resources]
            # The certificate prices plain units in money; rows count grains of a resource in whole-number prices.
            room_price[scenario, offer] = np.array(prices) * instance.grain / instance.money_per_cost
    return room_price


def _answer(linking: Linking, search: Search, prices: Divisible) -> FitSolution:
    instance = linking.instance
    search.grant_wishes()
    nodes, landing = search.answer()
    floor = min(search.cost, instance.whole_floor(prices.floor))
    # The status is what the old prices prove of this answer, and that is often enough.
    status = FitStatus.OPTIMAL if search.cost <= floor else FitStatus.FEASIBLE
    certificate = certificate_of(linking, prices)
    cost = instance.money(search.cost)
    return FitSolution(
        status, instance.problem.currency, cost, instance.money(floor), nodes, landing, certificate=certificate
    )

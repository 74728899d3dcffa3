"""One run of the fit: relaxation, first answer, proof beside the search, the best of what was found."""

from __future__ import annotations

import math
from collections.abc import Mapping
from concurrent.futures import Future, ThreadPoolExecutor
from concurrent.futures import TimeoutError as NotYet
from dataclasses import dataclass, field, replace
from decimal import Decimal

import numpy as np

from rombel.fit.bounds.aggregation import relax, tighten
from rombel.fit.bounds.certificate import certificate_of
from rombel.fit.bounds.divisible import Divisible, divisible_limits
from rombel.fit.bounds.exact import Exact, ExactParams, is_whole, solve_exact
from rombel.fit.bounds.linking import Linking, build_linking
from rombel.fit.bounds.patterns import PatternParams, Patterns, dive, generate_patterns
from rombel.fit.bounds.placed_reasons import placed_reasons, room_reasons
from rombel.fit.bounds.simplex import divisible_loads
from rombel.fit.bounds.whole_nodes import WholeNodes, WholeParams, solve_whole
from rombel.fit.observing import Progress, Wish
from rombel.fit.problem.building import build_instance
from rombel.fit.problem.counts import around, most_interruptible
from rombel.fit.problem.instance import Floats, Instance
from rombel.fit.problem.reasons import count_reasons
from rombel.fit.report.batches import batches_of
from rombel.fit.report.evenness import even_weight
from rombel.fit.search.ruin_and_recreate import Prices, Search, SearchParams
from rombel.fit.search.team import Team
from rombel.model.fit_problem import FitProblem, Survival
from rombel.model.fit_solution import Certificate, FitSolution, FitStatus

FEW_PRICES = 2000
"""Up to so many prices of replicas the certificate is that of whole loads."""
DIVING = 0.4
"""The share of a fit done while loads are bought one after another."""
CHUNK_WORK = 6_000_000
"""Placements looked at between two times that a wish to stop is asked for: well under a second."""
LISTENING_S = 0.2
"""While the proof is waited for, a wish to stop is asked for as often."""


@dataclass(frozen=True, slots=True)
class FitParams:
    """How much a fit tries.

    Parameters
    ----------
    seconds
        Go on until this time is over, unless nothing cheaper can exist, and keep the best so far; None: the budgets alone
        decide. They count work and no time, so that the same input and seed give the same answer.
    evenness
        Weight of each resource in how full a node is; of answers as cheap the more evenly filled is preferred. None: all
        alike, but for pods.
    most_nodes_evened
        Answers with more nodes are not filled more evenly.
    gap
        Good enough: stop when cost is this close to the floor, as a share.
    chunks
        How often the search reports and may be stopped.
    searches
        How many searches run side by side from different seeds.
    most_search_bytes
        Fewer run, but one, where their plans would take more memory than this together.
    tied_rounds
        Rounds in which the scenarios of a landing are priced together.
    most_pairs_for_patterns
        Pairs of class and offer, in all scenarios, up to which the pattern program is solved: with more it is far from its end
        when its budget is spent, and neither raises the floor nor helps the search.
    most_pairs_proved_first
        Up to so many of them the floor is sought before the search and not beside it.
    search, patterns, whole, exact
        Parameters of the parts.

    """

    seconds: float | None = None
    evenness: Mapping[str, float] | None = None
    most_nodes_evened: int = 3000
    gap: float = 1e-9
    chunks: int = 20
    searches: int = 2
    most_search_bytes: int = 64 * 2**20
    tied_rounds: int = 30
    most_pairs_for_patterns: int = 1000
    most_pairs_proved_first: int = 2500
    search: SearchParams = field(default_factory=SearchParams)
    patterns: PatternParams = field(default_factory=PatternParams)
    whole: WholeParams = field(default_factory=WholeParams)
    exact: ExactParams = field(default_factory=ExactParams)


def no_answer(problem: FitProblem, reasons: tuple[str, ...], *, proved: bool) -> FitSolution:
    """Return that there is no answer, or that none was found."""
    status = FitStatus.INFEASIBLE if proved else FitStatus.UNKNOWN
    return FitSolution(status, problem.currency, Decimal(0), Decimal(0), reasons=reasons)


class Run:
    """One run of the steps above."""

    def __init__(self, instance: Instance, nodes: float, seed: int, params: FitParams, wish: Wish) -> None:
        self.instance, self.nodes = instance, nodes
        self.seed, self.params, self.wish = seed, params, wish
        self.floor, self.searches = 0, params.searches
        self.team: Team | None = None
        self.certificate: Certificate | None = None
        self.exact: Exact | None = None

    def run(self, before: FitSolution | None) -> FitSolution:
        """Return the answer, started from another one where there is one."""
        self._tell("relaxing", 0.0)
        if reasons := tuple(count_reasons(self.instance)):
            return no_answer(self.instance.problem, reasons, proved=True)
        linking = build_linking(self.instance, self.wish.ask)
        start = relax(linking)
        # A relaxation leaves rules out, so where it has no solution the problem has none either.
        if not start.feasible:
            return self._without_answer(start.unplaced, start.proved)
        self._raise_floor(start.floor)
        self.certificate = certificate_of(linking, start)
        # A small problem needs no search: the program of all patterns gives the answer and its proof at once.
        if (answer := self._searched_to_the_end(linking, start)) is not None:
            return answer
        self.searches = self._searches(start)
        slots = self._slots()
        self.team = self._team(self.instance, start, slots, before)
        # Where replicas land, six tenths of the effort went into finding where they can stand.
        begin = 0.0 if slots is None else 0.6
        middle = begin + 0.4 * (1 - begin)
        self._tell("first answer", 0.0)
        small = linking.pairs.sum() <= self.params.most_pairs_proved_first
        if small and not self._good_enough():
            # What the proof finds on its way is mostly the best there is, and it takes a second or two.
            self._take(self._prove(linking, start, self._cost()), start, linking)
        if slots is not None:
            self._improve_slots(slots)
        del slots  # Its memory is wanted for what follows.
        with ThreadPoolExecutor(1) as thread:
            known = self._cost()  # The proof is given what is known here, and not what the search finds meanwhile.
            proved = small or self._good_enough()
            proof = None if proved else thread.submit(self._prove, linking, start, known)
            self._improve(self.team, "first answer", begin, middle)
            if proof is not None:
                self._take(self._awaited(proof, middle), start, linking)
        self._improve(self.team, "improving", middle, 1.0)
        # With a time limit the rest of the time is searched anew from the best; without one the budget of work is the end, so that the
        # answer does not hang on the machine.
        while self.wish.timed and not self.wish.heard and not self._good_enough():
            self.team.restart()
            self._improve(self.team, "improving", middle, 1.0)
        self.team.close()
        return self._answer(self.team.best)

    def _searched_to_the_end(self, linking: Linking, start: Divisible) -> FitSolution | None:
        """Return the cheapest answer of a small problem, or that there is none; None where that is not known so."""
        self.exact = exact = solve_exact(self.instance, self.params.exact, stop=self.wish.ask)
        if exact is None:
            return None
        if exact.impossible:
            return self._without_answer(start.unplaced, proved=True)
        self._raise_floor(exact.floor)
        if not exact.optimal or exact.nodes is None:
            return None
        self.floor = max(self.floor, _price_of(self.instance, exact))
        # The program left a rule out, so its answer is only a bound, and the search goes on below it.
        if not is_whole(self.instance):
            return None
        self.certificate = certificate_of(linking, self._best_prices(linking, self._priced(linking, start)))
        return self._answer(self._refined(start, exact))

    def _priced(self, linking: Linking, start: Divisible) -> _Proof:
        """Return the prices that prove most of a floor, where few loads are to be priced."""
        proof = _Proof(start.floor, start)
        if self.wish.heard:
            return proof
        # With one scenario the relaxation was tied together from the start; with several each scenario was priced alone at first.
        tied = tighten(linking, self.params.tied_rounds) if linking.scenarios > 1 else None
        if tied is not None and tied.floor > proof.floor:
            proof.floor, proof.prices = tied.floor, tied
        if linking.cover.size <= self.params.most_pairs_for_patterns and not self.wish.heard:
            proof.patterns = generate_patterns(linking, start, lambda found: self.wish.heard, self.params.patterns)
            proof.floor = max(proof.floor, proof.patterns.floor)
        return proof

    def _refined(self, start: Divisible, exact: Exact) -> Search:
        """Return a search that stands on the cheapest nodes, with the counts that they have, so that they can be filled more evenly."""
        own = _as_counted(self.instance, exact)
        nodes = [(node.offer, node.pattern, node.landing) for node in exact.nodes or ()]
        batches, landing = batches_of(own, nodes)
        answer = FitSolution(FitStatus.OPTIMAL, own.problem.currency, Decimal(0), Decimal(0), batches, landing)
        search = Search(own, _prices(start, start.replica_price), len(nodes) + 8, self.seed, self.params.search)
        search.stand(answer)
        return search

    def _team(
        self, instance: Instance, start: Divisible, slots: Team | None, before: FitSolution | None = None
    ) -> Team:
        """Return searches with their first answers: taken over from ``slots`` where they serve, else built; or from before.

        Half of them keep to counts by zone around those of the relaxation, the others to even ones.
        """
        taken = 0 if slots is None else max(member.nodes for member in slots.members)
        standing = 0 if before is None else int(1.2 * sum(node.count for node in before.nodes))
        places = max(int(1.5 * max(start.nodes.sum(), taken)), standing) + len(instance.workloads) + 64
        near = around(instance, _counts(instance, start)) if slots is None else instance
        members = []
        for number in range(self.searches):
            seed = self.seed * self.params.searches + number
            # The relaxation's counts are nearly right but where a zone is cheaper by a little, even ones find what they exclude.
            own = near if number % 2 == 0 else instance
            member = Search(own, _prices(start, start.replica_price), places, seed, self.params.search)
            self.wish.flag(member.stop_flag)
            if slots is None or not member.adopt(slots.members[number]):
                # An adoption that failed half-way leaves nodes behind: begin with a clean one.
                member = Search(own, _prices(start, start.replica_price), places, seed, self.params.search)
                self.wish.flag(member.stop_flag)
                member.round_off(start.nodes, start.amounts)
            if before is not None:
                member.stand(before)
            members.append(member)
        return Team(members)

    def _searches(self, start: Divisible) -> int:
        """Return how many searches run side by side: as asked, or fewer where the plans are very large."""
        scenarios = 1 + (len(self.instance.problem.zones) if self.instance.lands.any() else 0)
        # A plan and the best one kept, each with a count (16 bits) of every class on every node in every scenario.
        each = 2 * 2 * 1.5 * start.nodes.sum() * len(self.instance.workloads) * scenarios
        return max(1, min(self.params.searches, int(self.params.most_search_bytes // max(each, 1.0))))

    def _slots(self) -> Team | None:
        """Return, where replicas land, first answers in which they stand instead: a good start, quickly found."""
        if self.wish.heard or not self.instance.lands.any():
            return None
        # The same resources in the same order, or the answers could not be taken over node by node.
        stand = build_instance(_standing_instead(self.instance.problem), self.nodes, keep=self.instance.resources)
        window = stand.window.copy()  # As many stand in a zone as its rules want there of those that land elsewhere.
        window[..., 0] = np.maximum(window[..., 0], np.minimum(self.instance.window[..., 0], window[..., 1]))
        stand = replace(stand, window=window)
        start = relax(build_linking(stand, self.wish.ask))
        return self._team(stand, start, None) if start.feasible else None

    def _improve_slots(self, slots: Team) -> None:
        """Improve the answers in which replicas stand, then take them over where that is cheaper."""
        self._improve(slots, "first answer", 0.0, 1.0, 0.6)
        slots.close()
        if self.team is not None and not self.wish.heard:
            for member, own in zip(self.team.members, slots.members, strict=True):
                member.adopt(own)

    def _awaited(self, proof: Future[_Proof], share: float) -> _Proof:
        """Return what proving has brought; while it goes on the wish to stop is listened to."""
        while True:
            try:
                return proof.result(timeout=LISTENING_S)
            except NotYet:
                self._tell("proving", share)

    def _prove(self, linking: Linking, start: Divisible, known: int) -> _Proof:
        """Return tighter floors with what was found on the way; runs beside the search and touches nothing of it.

        ``known`` is what an answer costs that is known; 0: none is.
        """
        params, instance = self.params, self.instance
        proof = self._priced(linking, start)
        limits = instance.problem.limits
        ruled = limits.equal_zones or limits.most_pools or limits.fewest_nodes_per_pool or limits.fewest_nodes_per_zone
        # Without limits on pools whole nodes tighten little, and with many scenarios their program takes longer than all else.
        few = linking.scenarios == 1 or linking.pairs.sum() <= params.whole.most_landing_pairs
        if not self.wish.heard and known and (ruled or few):
            whole = solve_whole(linking, instance.cost_of(known), params.whole)
            if whole is not None:
                proof.floor, proof.whole = max(proof.floor, whole.floor), whole
        return proof

    def _take(self, proof: _Proof, start: Divisible, linking: Linking) -> None:
        """Keep the floor, try the answers found by proving, and steer the searches by the better prices."""
        self._raise_floor(proof.floor)
        self.certificate = certificate_of(linking, self._best_prices(linking, proof))
        if self.team is None or self._good_enough():
            return
        found, whole = proof.patterns, proof.whole
        for member in self.team.members:
            # Prices of whole patterns know what packs badly together; those of the relaxation do not.
            if found is not None and found.replica_price.size:
                member.set_prices(_prices(start, found.replica_price))
            if found is not None and found.whole:
                member.adopt_patterns(found.whole)
            member.restart()
        first = self.team.members[0]
        if whole is not None and whole.nodes is not None and whole.amounts is not None and linking.scenarios == 1:
            first.try_nodes(whole.nodes.astype(float), whole.amounts)
        if found is not None and linking.scenarios == 1 and not self._good_enough():
            self._dive(linking, found, first)

    def _dive(self, linking: Linking, found: Patterns, search: Search) -> None:
        """Dive until an answer costs no more than the floor; each dive is to bring less than what is known.

        Where loads fill one resource exactly, further dives pay; in several, one takes as long as all else.
        """
        instance = self.instance
        for turn in range(self.params.patterns.dives if instance.request.shape[1] == 1 else 1):
            # One whole price less than what is known: a dive that cannot reach it is given up early.
            target = instance.cost_of(max(self.floor, self._cost() - 1)) if self._cost() else np.inf
            nodes = dive(linking, found, target, self.params.patterns, turn)
            if nodes:
                search.adopt_patterns(nodes)
            if self._good_enough() or self._tell("proving", DIVING):
                return

    def _best_prices(self, linking: Linking, proof: _Proof) -> Divisible:
        """Return the prices of the highest floor; those of whole loads where few enough can be looked at by a reader."""
        found = proof.patterns
        if found is None or found.floor <= proof.prices.floor or linking.cover.size > FEW_PRICES:
            return proof.prices
        scenarios, offers = np.argwhere(linking.nodes >= 0).T
        room_price, instance = np.zeros_like(proof.prices.room_price), self.instance
        limits, capacity = divisible_limits(instance)[offers], instance.capacity[offers]
        room_price[scenarios, offers], _, _ = divisible_loads(
            found.replica_price[scenarios, offers], limits, instance.request, capacity
        )
        return replace(proof.prices, replica_price=found.replica_price, room_price=room_price)

    def _improve(self, team: Team, phase: str, begin: float, end: float, part: float = 1.0) -> None:
        """Search in chunks; stop when told, when time is up or when nothing cheaper can exist."""
        first = team.members[0]
        chunks = self.params.chunks * max(1, math.ceil(first.work / self.params.chunks / CHUNK_WORK))
        steps = max(1, first.steps // chunks)
        for chunk in range(round(chunks * begin), round(chunks * end)):
            if self.wish.heard or self._good_enough():
                return
            team.improve(chunk / chunks, (chunk + 1) / chunks, steps)
            self._tell(phase, part * (chunk + 1) / chunks)

    def _raise_floor(self, floor: float) -> None:
        """Keep the best floor."""
        self.floor = max(self.floor, self.instance.whole_floor(floor))

    def _cost(self) -> int:
        """Return the cost of the best complete answer; 0 when there is none yet."""
        best = self.team.best if self.team is not None else None
        return best.cost if best is not None and best.complete else 0

    def _good_enough(self) -> bool:
        return 0 < self._cost() <= self.floor * (1 + self.params.gap)

    def _tell(self, phase: str, share: float) -> bool:
        """Report, and return whether to stop."""
        cost, floor = self.instance.money(self._cost()), self.instance.money(self.floor)
        return self.wish.on_progress(Progress(phase, share, cost, floor))

    def _even_out(self, best: Search) -> None:
        """Of answers as cheap choose one whose nodes are filled more evenly; a very large one is left as it is."""
        weight = even_weight(self.instance.problem, self.params.evenness)
        weight = weight[[self.instance.problem.resources.index(name) for name in self.instance.resources]]
        if weight.any() and best.nodes <= self.params.most_nodes_evened and not self.wish.heard:
            best.even_out(weight, self.params.most_nodes_evened)

    def _answer(self, best: Search) -> FitSolution:
        """Return the best answer of the searches, or of the program of all there is where that is cheaper."""
        exact, problem = self.exact, self.instance.problem
        whole = exact is not None and exact.nodes is not None and is_whole(self.instance)
        complete = best.complete
        if whole and exact is not None and (not complete or _price_of(self.instance, exact) < best.cost):
            cost = _price_of(self.instance, exact)
            nodes, landing = batches_of(self.instance, [(n.offer, n.pattern, n.landing) for n in exact.nodes or ()])
        elif complete:
            best.grant_wishes()
            self._even_out(best)
            cost, (nodes, landing) = best.cost, best.answer()
        else:
            return self._without_answer(best.unplaced.astype(float), exact is not None and exact.impossible)
        status = FitStatus.STOPPED if self.wish.heard else FitStatus.FEASIBLE
        # What is proved is proved, also when somebody stopped the search.
        if cost <= self.floor:
            status = FitStatus.OPTIMAL
        money, floor = self.instance.money(cost), self.instance.money(min(self.floor, cost))
        return FitSolution(status, problem.currency, money, floor, nodes, landing, certificate=self.certificate)

    def _without_answer(self, unplaced: Floats, proved: bool) -> FitSolution:
        """Return why there is no answer: with what can be placed at most, where that can be told."""
        reasons = placed_reasons(self.instance, self.params.exact, self.wish.ask) if proved else ()
        reasons = reasons or tuple(room_reasons(self.instance, unplaced, proved=proved))
        reasons = reasons or ("No counts of replicas over the zones meet all rules together.",)
        return no_answer(self.instance.problem, tuple(reasons), proved=proved)


def _price_of(instance: Instance, exact: Exact) -> int:
    """Return what the nodes of an answer of the program of all there is cost, in whole prices."""
    return sum(int(instance.price[node.offer]) for node in exact.nodes or ())


def _as_counted(instance: Instance, exact: Exact) -> Instance:
    """Return the instance that asks for as many replicas as an answer has, in a window of counts by zone in which its own lie."""
    counts = np.zeros((len(instance.problem.zones), len(instance.workloads)), np.int64)
    for node in exact.nodes or ():
        counts[instance.zone[node.offer]] += node.pattern
    window = np.stack([counts.T, counts.T], axis=-1)
    for i in range(len(instance.workloads)):
        zones, rules = instance.rules_of(i)
        window[i, zones] = np.stack(rules.window(int(counts[:, i].sum()), int(counts[zones, i].min())), axis=1)
    shares = [most_interruptible(w, int(n)) for w, n in zip(instance.workloads, counts.sum(axis=0), strict=True)]
    return replace(
        instance,
        total=counts.sum(axis=0),
        window=window,
        interruptible_most=np.array(shares, np.int64),
    )


def _counts(instance: Instance, start: Divisible) -> Floats:
    """Return (I, Z) the replicas of each class that a relaxation has in each zone, in parts."""
    counts = np.zeros((len(instance.workloads), len(instance.problem.zones)))
    np.add.at(counts.T, instance.zone, start.amounts)
    return counts


@dataclass(slots=True)
class _Proof:
    """What proving has brought: a floor, loads of the pattern program, the program in whole nodes."""

    floor: float
    prices: Divisible
    patterns: Patterns | None = None
    whole: WholeNodes | None = None


def _standing_instead(problem: FitProblem) -> FitProblem:
    """Return the problem with every landing replaced by standing replicas, free to spread as the promise asks."""
    workloads = tuple(
        replace(entry, survive_zone=Survival.STANDING, zone_skew=None, equal_zones=False, must_stand=None)
        if problem.promise_of(entry) is Survival.LANDING
        else entry
        for entry in problem.workloads
    )
    return replace(problem, workloads=workloads)


def _prices(start: Divisible, replica_price: Floats) -> Prices:
    """Return what steers the search."""
    return Prices(replica_price=np.ascontiguousarray(replica_price), room_price=np.ascontiguousarray(start.room_price))

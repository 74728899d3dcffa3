"""What should run per use and what on nodes: where both cost the same, workload by workload, and the cheaper mixture, which is fitted.

In the mixture a replica that is billed by the second stands for a node of its own that holds just it, at the price of the hours that it runs.
So every rule, the floor and the checker hold as for any plan; nothing is said by rule of thumb.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from decimal import ROUND_UP, Decimal
from fractions import Fraction

from rombel.fit import FitObserver, FitParams, fit_knowing
from rombel.ledger import MONTH, bill_of, rounded, shared_out, spread
from rombel.model.compilation import asked_for
from rombel.model.fit_problem import FitProblem, InstanceType, Offer, Purchase, Workload
from rombel.model.fit_solution import FitSolution
from rombel.model.price_list import ListedPerUse

CPU, MEMORY, PODS = "cpu_millicores", "memory_bytes", "pods"


DAY_S = 86_400


@dataclass(frozen=True, slots=True)
class Use:
    """How a workload runs through a month, and how it may be replaced.

    Parameters
    ----------
    levels
        By level of demand, its share of the hours and how many replicas run; empty: those of the plan, always.
    may_be_gone
        How many replicas may be missing at once while they are replaced; 0: a new one starts before an old one goes.
    start_up_s
        Until a new replica serves.

    """

    levels: tuple[tuple[Fraction, int], ...] = ()
    may_be_gone: int = 1
    start_up_s: int = 0

    def share(self, replicas: int, least_s: int = 0) -> Fraction:
        """Return for what share of the hours a replica of a plan is billed on average.

        What does not always run starts once a day, and is then billed for ``least_s`` at least.
        """
        if not self.levels or not replicas:
            return Fraction(1)
        billed, above = Fraction(0), replicas
        # Replicas in layers from the least: of those between two levels' counts each runs at the levels that ask for more.
        for count in sorted({min(count, replicas) for _, count in self.levels} | {0}, reverse=True):
            runs = sum((hours for hours, asked in self.levels if asked >= above), Fraction(0))
            if 0 < runs < 1:
                runs = min(Fraction(1), max(runs, Fraction(least_s, DAY_S)))
            billed, above = billed + (above - count) * runs, count
        return billed / replicas

    def healthy(self, replicas: int) -> Fraction:
        """Return the smallest share of the replicas that serve while all are replaced."""
        return Fraction(max(0, replicas - self.may_be_gone), replicas)


@dataclass(frozen=True, slots=True)
class PerUseChoice:
    """A workload per use and on nodes.

    Parameters
    ----------
    workload, offer
        Whose replicas, and what they would be billed by.
    cpu_millicores, memory_bytes
        The cheapest size that holds a replica.
    price_per_hour
        Of a replica that runs.
    share
        Of the hours for which a replica of this plan is billed on average, over the levels of demand.
    on_nodes, per_use
        A month's cost of all replicas: on the plan's nodes, with their part of what nobody asks for, and per use for the hours they run.
    even_at
        The share of the hours at which both cost the same; above it nodes are cheaper.
    moved
        How many replicas run per use in the cheaper mixture.
    healthy
        Smallest share of its replicas that serve while all are replaced.
    replaced_whole
        What a replacement costs more where each new replica serves before an old one goes, so that none is missing.

    """

    workload: str
    offer: str
    cpu_millicores: int
    memory_bytes: int
    price_per_hour: Decimal
    share: float
    on_nodes: Decimal
    per_use: Decimal
    even_at: float
    moved: int = 0
    healthy: float = 1.0
    replaced_whole: Decimal = Decimal(0)


@dataclass(frozen=True, slots=True)
class PerUsePlan:
    """Every workload that may run per use, why others may not, and the mixture: its cost and floor a month beside the plan's.

    ``after`` is None where no mixture was computed; ``reason`` then says why.
    """

    choices: tuple[PerUseChoice, ...]
    left_out: Mapping[str, str]
    before: Decimal
    after: Decimal | None = None
    floor_after: Decimal | None = None
    reason: str = ""

    @property
    def even_at(self) -> float:
        """Return the share of the hours at which all of it per use costs what it costs on nodes; 0: nothing may."""
        full = sum(c.per_use / Decimal(c.share) for c in self.choices if c.share)
        return float(sum((c.on_nodes for c in self.choices), Decimal(0)) / full) if full else 0.0


def per_use_plan(
    problem: FitProblem,
    solution: FitSolution,
    offers: Sequence[ListedPerUse],
    *,
    uses: Mapping[str, Use],
    alike: Mapping[str, frozenset[str]],
    seed: int = 0,
    params: FitParams | None = None,
    observer: FitObserver | None = None,
) -> PerUsePlan:
    """Return what may run per use, where it pays, and the cheaper mixture, no dearer than the plan.

    Parameters
    ----------
    problem, solution
        The plan.
    offers
        What is billed by the second, in the problem's currency.
    uses
        By workload, how it runs; left out: always, replaced one replica at a time.
    alike
        By name of what is billed by the second, the instance types of its architecture: what may run on all of them may run so.
    seed, params, observer
        Of the fit.

    """
    # With a part of what nobody asks for: on nodes a replica costs its share of the empty room too.
    costs = spread(shared_out(bill_of(problem, solution), problem, solution))
    choices, left_out = [], {}
    for workload in asked_for(problem):
        own = [
            offer
            for offer in offers
            if workload.instance_types is None or alike.get(offer.name, frozenset()) <= workload.instance_types
        ]
        use, cost = uses.get(workload.name, Use()), costs.get(workload.name, Fraction(0))
        found = _choice(problem, workload, own, use, cost)
        if isinstance(found, str):
            left_out[workload.name] = found
        else:
            choices.append(found)
    known = PerUsePlan(tuple(choices), left_out, _month(Fraction(solution.cost_per_hour)))
    if not choices:
        return replace(known, reason="No workload may run per use.")
    if reason := _hindrance(problem):
        return replace(known, reason=reason)
    mixed = with_per_use(problem, choices)
    # The plan itself is a mixture without anything per use: the answer is never dearer.
    answer = fit_knowing(mixed, [solution], seed=seed, params=params, observer=observer)
    # It was stopped, or broke off: what is known without a mixture is told all the same.
    if not answer.found:
        return replace(known, reason="; ".join(answer.reasons))
    nodes, moved = {entry.name for entry in problem.instance_types}, Counter[str]()
    for batch in answer.nodes:
        # A type that the plan's problem does not have is a replica billed by the second.
        if batch.instance_type not in nodes:
            moved.update({name: count * batch.count for name, count in batch.replicas.items()})
    return replace(
        known,
        choices=tuple(replace(choice, moved=moved[choice.workload]) for choice in choices),
        after=_month(Fraction(answer.cost_per_hour)),
        floor_after=_month(Fraction(answer.floor_per_hour)),
    )


def _month(per_hour: Fraction) -> Decimal:
    return rounded({0: per_hour * MONTH})[0]


def _hindrance(problem: FitProblem) -> str:
    """Return why no mixture is computed: rules on pools would count each replica per use as a pool."""
    limits = problem.limits
    if (
        limits.most_pools is not None
        or limits.fewest_nodes_per_pool
        or limits.fewest_nodes_per_zone
        or limits.equal_zones
    ):
        return "Limits on pools and on nodes of a pool would count replicas per use as pools: a mixture is computed without them."
    return ""


def _choice(
    problem: FitProblem, workload: Workload, offers: Sequence[ListedPerUse], use: Use, on_nodes: Fraction
) -> PerUseChoice | str:
    """Return what a workload costs per use, or why it may not run so."""
    amounts = dict(zip(problem.resources, workload.request, strict=True))
    others = [name for name, amount in amounts.items() if amount and name not in (CPU, MEMORY, PODS)]
    if not offers:
        return "it may run on some types of node alone"
    # What is billed by the second has no accelerators, no room that is kept, and no disk that stays.
    if others or workload.stands or workload.bound_to_zone:
        return f"it needs {', '.join(others) or 'its volume where it stands'}"
    sizes = [
        (offer, size) for offer in offers if (size := offer.cheapest_for(amounts.get(CPU, 0), amounts.get(MEMORY, 0)))
    ]
    if not sizes:
        return "no size holds a replica"
    replicas = workload.replicas
    if not replicas:
        return "it has no replicas at this level"

    def billed(pair: tuple[ListedPerUse, tuple[int, int]]) -> Fraction:
        return Fraction(pair[0].price_per_hour(pair[1])) * use.share(replicas, pair[0].least_s)

    # What is billed counts and not the price: a cheaper second may come with a longest least time.
    offer, size = min(sizes, key=lambda pair: (billed(pair), pair[0].name))
    price, share = offer.price_per_hour(size), use.share(replicas, offer.least_s)
    full = Fraction(price) * replicas * MONTH
    if not full:
        return "it costs nothing per use"
    # For as long as a new one starts both are paid.
    twice = replicas * Fraction(price) * max(use.start_up_s, offer.least_s) / 3600
    return PerUseChoice(
        workload.name,
        offer.name,
        *size,
        price,
        float(share),
        _month(on_nodes / MONTH),
        _month(full * share / MONTH),
        float(on_nodes / full),
        healthy=float(use.healthy(replicas)),
        replaced_whole=rounded({0: twice})[0],
    )


def with_per_use(problem: FitProblem, choices: Sequence[PerUseChoice]) -> FitProblem:
    """Return the problem in which replicas of some workloads may also be billed for the hours that they run."""
    nodes = frozenset(entry.name for entry in problem.instance_types)
    chosen = {choice.workload: choice for choice in choices}
    own = {
        w.name: _room_of_one(problem, w, chosen[w.name], f"per use: {w.name}")
        for w in problem.workloads
        if w.name in chosen
    }
    workloads = []
    for w in problem.workloads:
        # The new types are each for one workload; whoever may run on all may so far run on these.
        may = nodes if w.instance_types is None else w.instance_types
        workloads.append(replace(w, instance_types=may | {own[w.name].name} if w.name in own else may))
    types = (*problem.instance_types, *own.values())
    return replace(problem, instance_types=types, workloads=tuple(workloads))


def _room_of_one(problem: FitProblem, workload: Workload, choice: PerUseChoice, name: str) -> InstanceType:
    """Return a type that holds one replica and no daemon: what daemons and headroom would take is added and never paid."""
    headroom = problem.limits.headroom
    room = tuple(
        # Rounded up, so that after headroom and daemons are taken off exactly the request is left.
        -(-amount * 100 // (100 - headroom.get(resource, 0))) + kept
        for resource, amount, kept in zip(problem.resources, workload.request, problem.daemon, strict=True)
    )
    # Rounded up: the mixture must not seem cheaper than it is, not even by a billionth.
    price = (choice.price_per_hour * Decimal(choice.share)).quantize(Decimal("1e-9"), ROUND_UP)
    zones = [zone for zone in problem.zones if workload.zones is None or zone in workload.zones]
    offers = tuple(Offer(zone, Purchase.ON_DEMAND, max(price, Decimal("1e-9"))) for zone in zones)
    return InstanceType(name, room, offers)

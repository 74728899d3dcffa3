"""From a problem, the solution that stands and a rehearsal to the tables that are played on."""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from decimal import Decimal

import numpy as np

from rombel.errors import Fault, InputRefused
from rombel.model.demand import Budget
from rombel.model.fit_problem import FitProblem, InstanceType, Offer, OfferKey, Purchase, Workload
from rombel.model.fit_solution import FitSolution, counted
from rombel.model.rehearsal import (
    Load,
    Outage,
    OutageKind,
    PoolRange,
    Rehearsal,
    ScalingPolicy,
    ScalingRules,
    Select,
    range_faults,
    scaling_faults,
)
from rombel.simulate.rehearsal import _rules, _tables
from rombel.simulate.rehearsal._tables import NOWHERE, Floats, Ints, State, Tally, World
from rombel.simulate.supply import start_sigma

MANY = 10**9
MILLIONTHS = 1_000_000
"""Prices are whole millionths."""
DRAWS = 4096
"""Times that chance draws ahead; a rehearsal that needs more begins with the first again."""
QUEUE = 128
"""Entries of those that wait, a workload."""
MOST_CELLS = 60_000_000
"""Largest table of nodes by workloads."""
USUAL_START_UP_S = 30


@dataclass(frozen=True, slots=True)
class Stage:
    """The names behind the numbers of the tables: workloads, offers with their ranges, and loads in their order."""

    workloads: tuple[Workload, ...]
    offers: tuple[tuple[InstanceType, Offer], ...]
    ranges: tuple[PoolRange, ...]
    loads: tuple[Load, ...]

    @property
    def keys(self) -> list[OfferKey]:
        """Return what names each offer."""
        return [entry.key(offer) for entry, offer in self.offers]


def rehearsal_faults(problem: FitProblem, rehearsal: Rehearsal) -> Iterator[Fault]:
    """Yield all that keeps a rehearsal from being played on a problem, each with its place."""
    names = {workload.name for workload in problem.workloads}
    offers = {entry.key(offer) for entry in problem.instance_types for offer in entry.offers}
    yield from _time_faults(rehearsal)
    for number, load in enumerate(rehearsal.loads):
        yield from _load_faults(load, names, rehearsal.steps, f"loads[{number}]")
    for name, scaling in rehearsal.scalings.items():
        yield from _known(name, names, f"scalings[{name}]")
        yield from scaling_faults(scaling, f"scalings[{name}]")
    for key, pool in rehearsal.ranges.items():
        path = f"ranges[{key[0]}, {key[1]}, {key[2]}]"
        if key not in offers:
            reason = f"{key[0]} ({key[1]}) is not offered in {key[2]}."
            yield Fault("limits.offer", path, reason, "Name an offer of the problem.")
        yield from range_faults(pool, path)
    for key, per_hour in rehearsal.taken_back.items():
        if per_hour < 0:
            reason = f"{key[0]} is not taken back {per_hour} times an hour."
            yield Fault("limits.interruptions", f"taken_back[{key[0]}, {key[2]}]", reason, "State 0 or more.")
    for number, burst in enumerate(rehearsal.bursts):
        path = f"bursts[{number}]"
        yield from _known(burst.workload, names, f"{path}.workload")
        if burst.count < 1 or not 0 <= burst.at_s < rehearsal.lasts_s:
            reason = f"{burst.count} replicas at {burst.at_s} s are none, or come outside the rehearsal."
            yield Fault("burst.range", path, reason, f"State 1 or more, at 0 to {rehearsal.lasts_s - 1} s.")
    for number, outage in enumerate(rehearsal.outages):
        yield from _outage_faults(outage, problem, rehearsal, f"outages[{number}]")


def _known(name: str, names: set[str], path: str) -> Iterator[Fault]:
    if name not in names:
        yield Fault("rehearsal.workload", path, f"There is no workload '{name}'.", "Name one of the problem's.")


def _time_faults(rehearsal: Rehearsal) -> Iterator[Fault]:
    params = rehearsal.params
    if rehearsal.step_s < 1 or rehearsal.steps < 1:
        yield Fault(
            "rehearsal.period",
            "steps",
            "A rehearsal lasts longer than no time.",
            "State at least one step of a second.",
        )
    # Looks fall on the beginnings of steps then, and no look sees parts of two.
    elif params.period_s < 1 or rehearsal.step_s % params.period_s:
        reason = f"Steps of {rehearsal.step_s} s do not divide into looks every {params.period_s} s."
        yield Fault("rehearsal.step", "params.period_s", reason, "Choose a period that divides the step.")
    elif params.sample_s < 1 or params.sample_s % params.period_s:
        reason = f"Samples of {params.sample_s} s do not divide into looks every {params.period_s} s."
        yield Fault("rehearsal.sample", "params.sample_s", reason, "Choose a multiple of the period.")
    if params.node_start_s < 1 or params.patience_s < params.period_s:
        reason = "A node takes a second or more to start, and patience lasts a period or longer."
        yield Fault("rehearsal.params", "params", reason, "Raise what is too short.")


def _load_faults(load: Load, names: set[str], steps: int, path: str) -> Iterator[Fault]:
    yield from _known(load.workload, names, f"{path}.workload")
    if load.capacity < 1 or load.target < 1:
        reason = "What a replica bears, and what autoscaling aims at, are above 0."
        yield Fault("load.capacity", path, reason, "State what one replica serves a second.")
    if len(load.values) != steps:
        reason = f"The load has {len(load.values)} values, the rehearsal {steps} steps."
        yield Fault("load.steps", path, reason, "Give each step a value.")
    # -1 stands for what was not measured.
    elif (load.values < -1).any():
        yield Fault(
            "load.negative", path, "A load is negative.", "A load is 0 or more; what was not measured is a gap."
        )


def _outage_faults(outage: Outage, problem: FitProblem, rehearsal: Rehearsal, path: str) -> Iterator[Fault]:
    if not 0 <= outage.at_s < rehearsal.lasts_s or outage.lasts_s < 1:
        reason = "It begins outside the rehearsal, or ends before it begins."
        yield Fault("outage.time", path, reason, f"Begin at 0 to {rehearsal.lasts_s - 1} s, and last a second or more.")
    # A zone that is lost has a name; what is out of stock or taken back may be so in all zones.
    must = outage.kind is OutageKind.ZONE
    if (must or outage.zone) and outage.zone not in problem.zones:
        reason = f"There is no zone '{outage.zone}'."
        yield Fault("outage.zone", f"{path}.zone", reason, f"Name one of {', '.join(problem.zones)}.")
    if outage.instance_type and outage.instance_type not in {entry.name for entry in problem.instance_types}:
        reason = f"There is no instance type '{outage.instance_type}'."
        yield Fault("outage.type", f"{path}.instance_type", reason, "Name one that is offered.")
    if not 0 <= outage.per_hour <= 1000:
        yield Fault("outage.rate", f"{path}.per_hour", "A rate is 0 to 1000 an hour.", "State how often an hour.")


def stage(
    problem: FitProblem, solution: FitSolution, rehearsal: Rehearsal, *, seed: int = 0
) -> tuple[Stage, World, State, Tally]:
    """Return the tables of a rehearsal, and the names behind them.

    Raises
    ------
    InputRefused
        With every fault of the rehearsal.

    """
    if faults := list(rehearsal_faults(problem, rehearsal)):
        raise InputRefused(faults)
    # Headroom is kept for what a rehearsal plays; replicas that only stand for it have no slash in their name.
    workloads = tuple(w for w in problem.workloads if "/" in w.name) or problem.workloads
    problem = replace(problem, limits=replace(problem.limits, headroom={}))
    stood = counted(solution.nodes)
    pairs = tuple(
        (entry, offer)
        for entry in problem.instance_types
        for offer in entry.offers
        if entry.key(offer) in rehearsal.ranges or stood[entry.key(offer)]
    )
    keys = [entry.key(offer) for entry, offer in pairs]
    # A pool without limits stays as it stands.
    ranges = tuple(rehearsal.ranges.get(key, PoolRange(stood[key], stood[key])) for key in keys)
    # A node that drains still counts as running, so that no more places are needed; one more, so that no table is empty.
    places = sum(max(pool.most, stood[key]) for key, pool in zip(keys, ranges, strict=True)) + 1
    if places * len(workloads) > MOST_CELLS:
        reason = f"{places} nodes at most and {len(workloads)} workloads are more than is played."
        raise InputRefused([Fault("rehearsal.large", "ranges", reason, "Lower the most nodes of the pools.")])
    numbers = {workload.name: i for i, workload in enumerate(workloads)}
    loads = tuple(sorted((x for x in rehearsal.loads if x.workload in numbers), key=lambda x: numbers[x.workload]))
    named = Stage(workloads, pairs, ranges, loads)
    world = _world(problem, rehearsal, named, numbers, seed)
    state = _state(world, solution, named, numbers, places)
    return named, world, state, _tally(world, state, rehearsal)


def _world(problem: FitProblem, rehearsal: Rehearsal, named: Stage, numbers: Mapping[str, int], seed: int) -> World:
    # All workloads' policies are one table; a workload's row says which rows of it are its own.
    policies: list[list[int]] = []
    request = np.array([w.request for w in named.workloads], np.int64).reshape(len(named.workloads), -1)
    room = np.array([problem.usable(entry) for entry, _ in named.offers], np.int64).reshape(-1, len(problem.resources))
    starts, lives = _drawn(rehearsal, seed)
    return World(
        timing=_timing(problem, rehearsal),
        workload=np.array([_workload(w, rehearsal, named.loads, policies) for w in named.workloads], np.int64),
        request=request,
        apart=_apart(named.workloads, numbers),
        order=_order(named.workloads, rehearsal, request, room),
        policy=_table(policies, 3),
        offer=_table(
            [
                _offer(pair, pool, problem, rehearsal.taken_back.get(key, 0.0))
                for key, pair, pool in zip(named.keys, named.offers, named.ranges, strict=True)
            ],
            _tables.OFFER,
        ),
        room=room,
        most=np.array([[_most(problem, w, *pair) for w in named.workloads] for pair in named.offers], np.int64),
        quota_use=_quotas(problem, named),
        quota_most=np.array([quota.most for quota in problem.limits.quotas], np.int64),
        load=_table([[numbers[x.workload], x.capacity, x.target] for x in named.loads], _tables.LOAD),
        demand=np.array([x.values for x in named.loads], np.int64).reshape(len(named.loads), rehearsal.steps),
        burst=_table(
            [
                [b.at_s, numbers[b.workload], b.count, NOWHERE if b.runs_s is None else b.runs_s]
                for b in rehearsal.bursts
            ],
            _tables.BURST,
        ),
        outage=_table([row for outage in rehearsal.outages for row in _outage(outage, problem, named)], _tables.OUTAGE),
        starts=starts,
        lives=lives,
    )


def _table(rows: Sequence[Sequence[int]], columns: int) -> Ints:
    """Return rows as a table, which has its columns even where it has no row."""
    return np.array(rows, np.int64).reshape(len(rows), columns)


def _timing(problem: FitProblem, rehearsal: Rehearsal) -> Ints:
    params, timing = rehearsal.params, np.zeros(_tables.TIMING, np.int64)
    stated = {
        _tables.PERIOD: params.period_s,
        _tables.END: rehearsal.lasts_s,
        _tables.STEP: rehearsal.step_s,
        _tables.LOOK_OUT: params.look_out_s,
        _tables.IDLE: params.idle_s,
        # Once a minute is often enough to see what is idle for ten.
        _tables.LOOK_DOWN: max(params.period_s, 60 // params.period_s * params.period_s),
        _tables.REFUSAL: params.refusal_s,
        _tables.RETRY: params.retry_s,
        _tables.EVICT: params.evict_s,
        _tables.PLACE: params.place_s,
        _tables.PATIENCE: params.patience_s,
        _tables.LATE: params.late_s,
        _tables.SAMPLE: params.sample_s,
        # The first two resources are scored, as everywhere: CPU and memory.
        _tables.CPU: 0,
        _tables.MEMORY: min(1, len(problem.resources) - 1),
    }
    for place, value in stated.items():
        timing[place] = value
    return timing


def _workload(workload: Workload, rehearsal: Rehearsal, loads: Sequence[Load], policies: list[list[int]]) -> list[int]:
    """Return the row of a workload; its policies go to the end of theirs."""
    row = [0] * _tables.WORKLOAD
    scaling = rehearsal.scalings.get(workload.name)
    row[_tables.START_UP] = rehearsal.start_ups.get(workload.name, USUAL_START_UP_S)
    # Equal counts cannot be kept while replicas come one by one; a difference of one is what is left of them.
    row[_tables.ZONE_SKEW] = 1 if workload.equal_zones else workload.zone_skew or 0
    row[_tables.NODE_SKEW] = workload.node_skew or 0
    row[_tables.BOUND_ZONE] = int(workload.bound_to_zone)
    row[_tables.BUDGET], row[_tables.BUDGET_VALUE] = _budget(rehearsal.budgets.get(workload.name))
    row[_tables.RISKY_MILLIONTHS] = math.floor(workload.interruptible_share * 1_000_000 + 1e-6)
    # Loads are sorted by workload, so that its own are one after the other.
    own = [k for k, load in enumerate(loads) if load.workload == workload.name]
    row[_tables.FIRST_LOAD], row[_tables.LAST_LOAD] = (own[0], own[-1] + 1) if own else (0, 0)
    if scaling is not None:
        row[_tables.LO], row[_tables.HI], row[_tables.AUTO] = scaling.least, scaling.most, 1
        for rules, tolerance, window, first, last, select in (
            (scaling.up, _tables.UP_TOLERANCE, _tables.UP_WINDOW, _tables.UP_FROM, _tables.UP_TO, _tables.UP_SELECT),
            (
                scaling.down,
                _tables.DOWN_TOLERANCE,
                _tables.DOWN_WINDOW,
                _tables.DOWN_FROM,
                _tables.DOWN_TO,
                _tables.DOWN_SELECT,
            ),
        ):
            row[tolerance], row[window], row[select] = (
                rules.tolerance_permille,
                rules.window_s,
                list(Select).index(rules.select),
            )
            row[first] = len(policies)
            policies += policy_rows(rules)
            row[last] = len(policies)
    return row


def policy_rows(rules: ScalingRules) -> list[list[int]]:
    """Return the policies of one direction as rows."""
    return [_policy(policy) for policy in rules.policies]


def _policy(policy: ScalingPolicy) -> list[int]:
    if policy.pods is not None:
        return [_rules.PODS, policy.pods, policy.period_s]
    return [_rules.PERCENT, policy.percent or 0, policy.period_s]


def _budget(budget: Budget | None) -> tuple[int, int]:
    """Return what a budget states and its number; what is stated of those that may be down counts where both are."""
    if budget is None or not (budget.min_available or budget.max_unavailable):
        return _tables.NO_BUDGET, 0
    text, whole = (
        (budget.max_unavailable, _tables.DOWN) if budget.max_unavailable else (budget.min_available, _tables.FEWEST)
    )
    # The kind in percent follows the kind in whole replicas.
    return (whole + 1, int(text.rstrip("% "))) if text.endswith("%") else (whole, int(text))


def _apart(workloads: Sequence[Workload], numbers: Mapping[str, int]) -> Ints:
    """Return (I, A) the numbers of workloads that share no node with each, both ways, filled up with -1."""
    pairs: list[set[int]] = [{numbers[name] for name in w.apart if name in numbers} for w in workloads]
    for i, own in enumerate(pairs):
        # Stated on one side only, it still keeps both off each other.
        for k in list(own):
            pairs[k].add(i)
    width = max((len(own) for own in pairs), default=0)
    return _table([sorted(own) + [NOWHERE] * (width - len(own)) for own in pairs], width)


def _order(workloads: Sequence[Workload], rehearsal: Rehearsal, request: Ints, room: Ints) -> Ints:
    """Return the order in which workloads are placed: higher priorities first, then large ones, as small ones fit into what is left."""
    most = np.maximum(room.max(axis=0, initial=1), 1)
    large = (request / most).max(axis=1, initial=0.0)
    # The place decides between equals, so that the same input is played the same way.
    keys = [(-rehearsal.priorities.get(w.name, 0), -float(large[i]), i) for i, w in enumerate(workloads)]
    return np.array([i for _, _, i in sorted(keys)], np.int64)


def _offer(pair: tuple[InstanceType, Offer], pool: PoolRange, problem: FitProblem, per_hour: float) -> list[int]:
    entry, sold = pair
    most = pool.most if sold.most_nodes is None else min(pool.most, sold.most_nodes)
    risky = int(sold.purchase is Purchase.INTERRUPTIBLE)
    price, taken = int(price_beyond(entry, sold) * MILLIONTHS), round(per_hour * MILLIONTHS)
    return [problem.zones.index(sold.zone), risky, min(pool.least, most), most, pool.kept_back, price, taken]


def price_beyond(entry: InstanceType, sold: Offer) -> Decimal:
    """Return what an hour of a node beyond a pool's least costs: what is not committed to is paid on demand (common practice, no source)."""
    if sold.purchase is not Purchase.COMMITTED:
        return sold.price_per_hour
    on_demand = (o for o in entry.offers if o.zone == sold.zone and o.purchase is Purchase.ON_DEMAND)
    return next((offer.price_per_hour for offer in on_demand), sold.price_per_hour)


def _most(problem: FitProblem, workload: Workload, entry: InstanceType, offer: Offer) -> int:
    if not problem.may_run(workload, entry, offer):
        return 0
    return MANY if workload.most_per_node is None else workload.most_per_node


def _quotas(problem: FitProblem, named: Stage) -> Ints:
    rows = [
        [quota.use(problem.resources, entry) if quota.holds_for(entry, offer) else 0 for entry, offer in named.offers]
        for quota in problem.limits.quotas
    ]
    return _table(rows, len(named.offers))


def _outage(outage: Outage, problem: FitProblem, named: Stage) -> Iterable[list[int]]:
    """Yield an outage as rows: one, or one for each offer of a type."""
    kinds = {
        OutageKind.ZONE: _tables.LOST_ZONE,
        OutageKind.STOCK: _tables.NO_STOCK,
        OutageKind.INTERRUPTIONS: _tables.TAKEN_BACK,
    }
    zone = problem.zones.index(outage.zone) if outage.zone else NOWHERE
    which = [NOWHERE]
    if outage.instance_type:
        which = [j for j, (entry, _) in enumerate(named.offers) if entry.name == outage.instance_type]
    until, rate = outage.at_s + outage.lasts_s, round(outage.per_hour * 1_000_000)
    return [[outage.at_s, until, kinds[outage.kind], zone, j, rate] for j in which]


def _drawn(rehearsal: Rehearsal, seed: int) -> tuple[Ints, Floats]:
    """Return what chance has drawn: starts of nodes in whole seconds, and lives of unit mean."""
    params, rng = rehearsal.params, np.random.default_rng(seed)
    sigma = start_sigma(params.node_start_s, params.node_start_p95_s)
    starts = np.maximum(np.ceil(params.node_start_s * np.exp(sigma * rng.standard_normal(DRAWS))), 1).astype(np.int64)
    return starts, rng.exponential(1.0, DRAWS)


def _state(world: World, solution: FitSolution, named: Stage, numbers: Mapping[str, int], places: int) -> State:
    count, width = len(named.workloads), world.request.shape[1]
    zones = 1 + int(world.offer[:, _tables.ZONE].max(initial=0))
    period, loads = int(world.timing[_tables.PERIOD]), len(named.loads)
    window = int(world.workload[:, [_tables.UP_WINDOW, _tables.DOWN_WINDOW]].max(initial=0)) // period + 1
    longest = int(world.policy[:, _rules.PERIOD].max(initial=0)) // period + 2
    ages = max(1, int(world.timing[_tables.PATIENCE]) // period)
    state = State(
        node=np.zeros((places, _tables.NODE), np.int64),
        free=np.zeros((places, width), np.int64),
        bound=np.zeros((places, count), np.int64),
        serving=np.zeros((places, count), np.int64),
        planned=np.zeros((places, count), np.int64),
        replica=np.zeros((count, _tables.COUNTS), np.int64),
        pool=np.zeros((len(named.offers), _tables.POOL), np.int64),
        in_zone=np.zeros((count, zones), np.int64),
        home=np.zeros((count, zones + 1), np.int64),
        queue=np.zeros((count, QUEUE, _tables.ENTRY), np.int64),
        ends=np.zeros((count, 2), np.int64),
        asked=np.zeros((count, window), np.int64),
        # Far before the start, so that nothing counts as changed just now.
        change=np.full((count, longest, 2), -MANY, np.int64),
        backlog=np.zeros((loads, ages), np.int64),
        held=np.zeros(loads, np.int64),
        used=np.zeros(loads, np.int64),
        flag=np.zeros(_tables.FLAGS, np.int64),
    )
    state.change[:, :, 1] = 0
    state.node[:, _tables.IDLE_SINCE] = NOWHERE
    _stand(world, state, solution, named, numbers)
    return state


def _stand(world: World, state: State, solution: FitSolution, named: Stage, numbers: Mapping[str, int]) -> None:
    """Let the nodes of the solution stand with their replicas serving."""
    offers = {key: j for j, key in enumerate(named.keys)}
    batches = ((batch, offers[batch.offer]) for batch in solution.nodes for _ in range(batch.count))
    for node, (batch, j) in enumerate(batches):
        state.node[node, _tables.NODE_OFFER], state.node[node, _tables.NODE_STATE] = j, _tables.UP
        state.pool[j, [_tables.RUNNING, _tables.LISTED]] += 1
        for name, number in batch.replicas.items():
            if name in numbers:
                state.bound[node, numbers[name]] = state.serving[node, numbers[name]] = number
                state.in_zone[numbers[name], world.offer[j, _tables.ZONE]] += number
        state.free[node] = world.room[j] - state.bound[node] @ world.request
    total = state.bound.sum(axis=0)
    state.replica[:, _tables.WISHED] = state.replica[:, _tables.SERVING] = total
    # The first recommendation on record is what runs (published behaviour, from memory).
    state.asked[:] = total[:, None]


def _tally(world: World, state: State, rehearsal: Rehearsal) -> Tally:
    samples = -(-rehearsal.lasts_s // rehearsal.params.sample_s)
    offers, count = len(world.offer), len(world.workload)
    return Tally(
        load=np.zeros((len(world.load), _tables.SUMS), np.int64),
        through=np.zeros((samples, _tables.THROUGH), np.float64),
        node_s=np.zeros((samples, offers), np.int64),
        at_most_s=np.zeros((samples, offers), np.int64),
        at_least_s=np.zeros((samples, offers), np.int64),
        short_s=np.zeros((samples, offers), np.int64),
        waiting_s=np.zeros((samples, count), np.int64),
        workload=np.zeros((count, _tables.WORKLOAD_SUMS), np.int64),
        burst=np.full(len(world.burst), -1, np.int64),
        churn=np.zeros(_tables.CHURN, np.int64),
        peak=state.pool[:, _tables.RUNNING].copy(),
    )

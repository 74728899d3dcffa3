"""Node autoscaling, compiled: a stated model of our own, see docs/mathematics/rehearsal.md.

A replica that has waited for the look-out time gets a node of the offer whose price for it is least, inside limits, quotas and what may run
where. A node goes when all that it carries fits elsewhere for a stated time, its pool stays at its least, and its room is not kept back.
"""

from __future__ import annotations

import numpy as np

from rombel.compiled import inner
from rombel.simulate.rehearsal._placing import (
    INTERRUPT,
    NODE_REFUSED,
    NODE_UP,
    bind,
    choose,
    fits_elsewhere,
    give_back,
    happen,
    place_soon,
    start,
    unbind,
)
from rombel.simulate.rehearsal._rules import ceil_div
from rombel.simulate.rehearsal._tables import (
    BLOCKED_UNTIL,
    BOUND_ZONE,
    BUDGET,
    BUDGET_VALUE,
    CHANGED,
    DARK,
    DOWN,
    DRAINING,
    DRAWN,
    END,
    FEWEST,
    FEWEST_PERCENT,
    FIRST,
    FITS,
    FROM,
    GONE,
    HOW_MANY,
    IDLE,
    IDLE_SINCE,
    INTERRUPTED,
    KEPT,
    LAST,
    LEAST,
    LIFE,
    LISTED,
    LOOK_OUT,
    LOST_ZONE,
    MOST,
    MOVED,
    NO_BUDGET,
    NO_STOCK,
    NODE_OFFER,
    NODE_STATE,
    NOWHERE,
    PLANNED,
    PRICE,
    RATE,
    REFUSAL,
    REFUSED,
    REFUSING,
    RETRY,
    RISKY,
    RUNNING,
    SERVING,
    SINCE_S,
    STARTED,
    STARTING,
    STOPPED,
    TAKEN,
    TAKEN_BACK,
    TRIED_AT,
    UNPAID,
    UNTIL,
    UP,
    WAITING,
    WHAT,
    WHERE,
    WHICH,
    WISHED,
    ZONE,
    ZONE_SKEW,
    Floats,
    Heap,
    Ints,
    State,
    Tally,
    World,
)

FEWEST_TRIED, TRIED_IN = 4, 32
"""So many of the emptiest nodes are tried for leaving at each look, and one in so many of a large fleet; more would take longer."""
MILLION_HOURS_S = 3_600_000_000.0
"""A million hours, in seconds."""


@inner
def under_way(world: World, what: int, j: int, now: int) -> int:
    """Return an outage of a kind that holds for an offer now; -1: there is none."""
    # Few outages are stated, so that looking through all of them is cheaper than keeping them by offer.
    for x in range(world.outage.shape[0]):
        entry = world.outage[x]
        here = entry[WHERE] == NOWHERE or entry[WHERE] == world.offer[j, ZONE]
        this = entry[WHICH] == NOWHERE or entry[WHICH] == j
        if entry[WHAT] == what and here and this and entry[FROM] <= now < entry[UNTIL]:
            return x
    return NOWHERE


@inner
def may_order(world: World, state: State, j: int, now: int) -> bool:
    """Return whether a node of an offer would be asked for: that it is out of stock is not known before it is refused."""
    pool = state.pool[j]
    if pool[RUNNING] >= world.offer[j, MOST] or pool[BLOCKED_UNTIL] > now or under_way(world, LOST_ZONE, j, now) >= 0:
        return False
    for q in range(world.quota_use.shape[0]):
        if world.quota_use[q, j] > 0:
            used = world.quota_use[q, j]
            for k in range(world.offer.shape[0]):
                # Nodes on their way count too: a quota is taken from the moment that a node is asked for.
                used += world.quota_use[q, k] * state.pool[k, RUNNING]
            if used > world.quota_most[q]:
                return False
    return True


@inner
def order(world: World, state: State, tally: Tally, heap: Heap, j: int, now: int) -> int:
    """Ask for a node of an offer; return its place, -1 where none is left."""
    for node in range(state.node.shape[0]):
        if state.node[node, NODE_STATE] == GONE:
            state.node[node, NODE_OFFER] = j
            # The place is used again: what was to happen to the node that stood there before is of another life, and is passed over.
            state.node[node, LIFE] += 1
            state.pool[j, RUNNING] += 1
            state.free[node] = world.room[j]
            if under_way(world, NO_STOCK, j, now) >= 0:
                state.node[node, NODE_STATE] = REFUSING
                state.pool[j, UNPAID] += 1
                # Nobody pays for a node that is refused.
                happen(heap, state, now + world.timing[REFUSAL], NODE_REFUSED, node, 0, 0, state.node[node, LIFE])
            else:
                state.node[node, NODE_STATE] = STARTING
                tally.churn[STARTED] += 1
                # The most that ran at once, without those that will be refused.
                tally.peak[j] = max(tally.peak[j], state.pool[j, RUNNING] - state.pool[j, UNPAID])
                # Drawn beforehand, in building.py: a run needs no source of chance of its own.
                seconds = world.starts[state.flag[DRAWN] % world.starts.shape[0]]
                state.flag[DRAWN] += 1
                happen(heap, state, now + seconds, NODE_UP, node, 0, 0, state.node[node, LIFE])
            return node
    return NOWHERE


@inner
def drop_plans(state: State, node: int) -> None:
    """Forget what a node on its way was meant for."""
    for i in range(state.planned.shape[1]):
        state.replica[i, PLANNED] -= state.planned[node, i]
        state.planned[node, i] = 0


@inner
def node_up(world: World, state: State, heap: Heap, node: int, now: int) -> None:
    """Let a node take replicas."""
    j = state.node[node, NODE_OFFER]
    drop_plans(state, node)
    # The zone was lost while the node started.
    if under_way(world, LOST_ZONE, j, now) >= 0:
        close(state, node)
        return
    state.node[node, NODE_STATE], state.node[node, IDLE_SINCE] = UP, NOWHERE
    state.pool[j, LISTED] += 1
    state.flag[CHANGED] += 1
    draw_life(world, state, heap, node, now)
    draw_wave(world, state, heap, node, now)
    place_soon(world, state, heap, now)


@inner
def draw_life(world: World, state: State, heap: Heap, node: int, now: int) -> None:
    """Let chance say when a node is taken back in usual times."""
    _draw(world, state, heap, node, now, world.offer[state.node[node, NODE_OFFER], TAKEN], world.timing[END])


@inner
def draw_wave(world: World, state: State, heap: Heap, node: int, now: int) -> None:
    """Let chance say whether an interruptible node is taken back while more than the usual are."""
    j = state.node[node, NODE_OFFER]
    x = under_way(world, TAKEN_BACK, j, now) if world.offer[j, RISKY] else NOWHERE
    if x >= 0:
        _draw(world, state, heap, node, now, world.outage[x, RATE], world.outage[x, UNTIL])


@inner
def _draw(world: World, state: State, heap: Heap, node: int, now: int, rate: int, until: int) -> None:
    if rate <= 0:
        return
    # A rate is in takings of a million nodes in an hour; what is drawn is of mean one.
    life = world.lives[state.flag[DRAWN] % world.lives.shape[0]] * MILLION_HOURS_S / rate
    state.flag[DRAWN] += 1
    if now + life < until:
        happen(heap, state, now + int(life) + 1, INTERRUPT, node, 0, 0, state.node[node, LIFE])


@inner
def close(state: State, node: int) -> None:
    """Let a node be gone that carries nothing."""
    state.flag[CHANGED] += 1
    # Only these were listed as nodes of their pool; one that still started never was.
    if state.node[node, NODE_STATE] in (UP, DRAINING, DARK):
        state.pool[state.node[node, NODE_OFFER], LISTED] -= 1
    state.pool[state.node[node, NODE_OFFER], RUNNING] -= 1
    state.node[node, NODE_STATE] = GONE


@inner
def lose(world: World, state: State, tally: Tally, heap: Heap, node: int, now: int) -> None:
    """Let a node be gone at once, its replicas waiting."""
    tally.churn[INTERRUPTED] += 1
    # They wait from now on, with whatever waited before them.
    for i in range(state.bound.shape[1]):
        if state.bound[node, i] > 0:
            give_back(world, state, tally, node, i, state.bound[node, i], now)
    close(state, node)
    place_soon(world, state, heap, now)


@inner
def keep_least(world: World, state: State, tally: Tally, heap: Heap, now: int) -> None:
    """Order nodes where a pool runs fewer than its least, or keeps less room free than it should."""
    for j in range(world.offer.shape[0]):
        # Nodes on their way are among those that run: none is ordered twice.
        while state.pool[j, RUNNING] < world.offer[j, LEAST] and may_order(world, state, j, now):
            if order(world, state, tally, heap, j, now) == NOWHERE:
                return
        if world.offer[j, KEPT] > 0:
            free = free_nodes(world, state, j)
            while free < world.offer[j, KEPT] and may_order(world, state, j, now):
                if order(world, state, tally, heap, j, now) == NOWHERE:
                    return
                free += 1.0


@inner
def free_nodes(world: World, state: State, j: int) -> float:
    """Return how many nodes' room of an offer nobody requests: of each node the resource with least left counts, one on its way is free."""
    total = 0.0
    for node in range(state.node.shape[0]):
        if state.node[node, NODE_OFFER] != j:
            continue
        stands = state.node[node, NODE_STATE]
        # A node that drains is about to go: its room is nobody's.
        if stands == UP:
            left = 1.0
            for r in range(world.room.shape[1]):
                if world.room[j, r] > 0:
                    left = min(left, state.free[node, r] / world.room[j, r])
            total += left
        elif stands in (STARTING, REFUSING) and state.planned[node].sum() == 0:
            total += 1.0
    return total


@inner
def order_for_waiting(world: World, state: State, tally: Tally, heap: Heap, now: int) -> None:
    """Order nodes for replicas that have waited long enough and for which none is on its way."""
    need = np.zeros(state.replica.shape[0], np.int64)
    for i in range(need.shape[0]):
        if state.replica[i, WAITING] > 0:
            # Nodes already ordered for some of them take those first.
            need[i] = _waiting_since(state, i, now - world.timing[LOOK_OUT]) - state.replica[i, PLANNED]
    for i in world.order:
        while need[i] > 0:
            # Chosen again for each node: the last one may be cheapest smaller, and a quota may be full by then.
            j = _cheapest(world, state, i, need[i], now)
            if j == NOWHERE:
                break
            node = order(world, state, tally, heap, j, now)
            if node == NOWHERE:
                return
            _plan(world, state, node, i, need)


@inner
def _waiting_since(state: State, i: int, latest: int) -> int:
    total, queue = 0, state.queue[i]
    for place in range(state.ends[i, FIRST], state.ends[i, LAST]):
        # A ring: places go up for good, and stand where their remainder says.
        entry = queue[place % queue.shape[0]]
        if entry[SINCE_S] <= latest:
            total += entry[HOW_MANY]
    return total


@inner
def _cheapest(world: World, state: State, i: int, need: int, now: int) -> int:
    """Return the offer whose node costs least for each replica that it takes; of equals that of the zone with fewest nodes."""
    best, price, fewest = NOWHERE, 0.0, 0
    for j in range(world.offer.shape[0]):
        # A large node is cheap only for as many as there are to fill it.
        fits = min(_room_for(world, j, i), need)
        if fits <= 0 or not may_order(world, state, j, now) or not _zone_allows(world, state, i, j):
            continue
        each, nodes = world.offer[j, PRICE] / fits, 0
        for k in range(world.offer.shape[0]):
            if world.offer[k, ZONE] == world.offer[j, ZONE]:
                nodes += state.pool[k, RUNNING]
        if best == NOWHERE or each < price or (each == price and nodes < fewest):
            best, price, fewest = j, each, nodes
    return best


@inner
def _room_for(world: World, j: int, i: int) -> int:
    fits = world.most[j, i]
    for r in range(world.request.shape[1]):
        if world.request[i, r] > 0:
            fits = min(fits, world.room[j, r] // world.request[i, r])
    return fits


@inner
def _zone_allows(world: World, state: State, i: int, j: int) -> bool:
    """Return whether a replica that waits may run in the zone of an offer: its volume's, and inside the hard spread with what is on its way."""
    zone, zones = world.offer[j, ZONE], state.home.shape[1] - 1
    # The last place counts those that wait and are bound to no zone yet.
    if world.workload[i, BOUND_ZONE] and state.home[i, zone] == 0 and state.home[i, zones] == 0:
        return False
    skew = world.workload[i, ZONE_SKEW]
    if skew == 0:
        return True
    there = state.in_zone[i].copy()
    for node in range(state.node.shape[0]):
        if state.node[node, NODE_STATE] in (STARTING, REFUSING):
            there[world.offer[state.node[node, NODE_OFFER], ZONE]] += state.planned[node, i]
    low = there[zone]
    for k in range(world.offer.shape[0]):
        # A listed node is a running one.
        # Only zones where the workload may run and something does are compared; an empty zone is not the one with fewest.
        if world.most[k, i] > 0 and state.pool[k, RUNNING] > 0:
            low = min(low, there[world.offer[k, ZONE]])
    return there[zone] + 1 - low <= skew


@inner
def _plan(world: World, state: State, node: int, first: int, need: Ints) -> None:
    """Mean a node for what waits: for the workload that it was ordered for first, then for others in their order."""
    j = state.node[node, NODE_OFFER]
    free = world.room[j].copy()
    for turn in range(world.order.shape[0] + 1):
        # The one that it was ordered for stands in the order once more; by then it needs nothing, or no more fits.
        i = first if turn == 0 else world.order[turn - 1]
        if need[i] <= 0:
            continue
        fits = min(need[i], world.most[j, i])
        for r in range(free.shape[0]):
            if world.request[i, r] > 0:
                fits = min(fits, free[r] // world.request[i, r])
        # A hard spread lets only so many into one zone before others follow: one at a time is what is sure.
        if fits > 0 and world.workload[i, ZONE_SKEW] > 0:
            fits = min(fits, max(1, world.workload[i, ZONE_SKEW])) if turn == 0 else 0
        if fits > 0:
            state.planned[node, i] += fits
            state.replica[i, PLANNED] += fits
            need[i] -= fits
            for r in range(free.shape[0]):
                free[r] -= fits * world.request[i, r]


@inner
def let_go(world: World, state: State, now: int) -> None:
    """Look which of the emptiest nodes are not needed; one that was not for long enough begins to drain."""
    full = _candidates(world, state)
    tries = max(FEWEST_TRIED, int((full <= 1.0).sum()) // TRIED_IN)
    emptiest = np.argsort(full)[:tries]
    gone = False
    for node in range(full.shape[0]):
        row = state.node[node]
        if row[NODE_STATE] == UP and not (
            full[node] <= 1.0 and (emptiest == node).any() and _is_idle(world, state, node)
        ):
            row[IDLE_SINCE] = NOWHERE
    for node in emptiest:
        row = state.node[node]
        if full[node] > 1.0 or row[FITS] == 0:
            continue
        if row[IDLE_SINCE] == NOWHERE:
            row[IDLE_SINCE] = now
        elif now - row[IDLE_SINCE] >= world.timing[IDLE] and not gone:
            # One at a time: the next is tried again without its room.
            row[NODE_STATE], gone = DRAINING, True
            state.flag[CHANGED] += 1


@inner
def _candidates(world: World, state: State) -> Floats:
    """Return (N,) how full the nodes are that their pools could do without; above 1 for all others."""
    standing = np.zeros(world.offer.shape[0], np.int64)
    full = np.full(state.node.shape[0], 2.0)
    for node in range(full.shape[0]):
        if state.node[node, NODE_STATE] == UP:
            standing[state.node[node, NODE_OFFER]] += 1
            full[node] = _fullness(world, state, node)
    for j in range(standing.shape[0]):
        spare = 1e9 if world.offer[j, KEPT] == 0 else free_nodes(world, state, j) - world.offer[j, KEPT]
        for node in range(full.shape[0]):
            # Its own free room goes with it.
            needed = standing[j] <= world.offer[j, LEAST] or 1.0 - full[node] > spare
            if needed and state.node[node, NODE_OFFER] == j:
                full[node] = 2.0
    return full


@inner
def _is_idle(world: World, state: State, node: int) -> bool:
    """Return whether all that a node carries fits elsewhere; as long as nothing changes the answer stays what it was."""
    row = state.node[node]
    if row[TRIED_AT] != state.flag[CHANGED] + 1:
        row[TRIED_AT] = state.flag[CHANGED] + 1
        row[FITS] = fits_elsewhere(world, state, node)
    return row[FITS] == 1


@inner
def _fullness(world: World, state: State, node: int) -> float:
    full, j = 0.0, state.node[node, NODE_OFFER]
    for r in range(world.room.shape[1]):
        if world.room[j, r] > 0:
            full = max(full, 1.0 - state.free[node, r] / world.room[j, r])
    return full


@inner
def drain(world: World, state: State, tally: Tally, heap: Heap, now: int) -> None:
    """Move what budgets allow off nodes that drain; those that are empty go."""
    for node in range(state.node.shape[0]):
        if state.node[node, NODE_STATE] != DRAINING:
            continue
        left = 0
        for i in range(state.bound.shape[1]):
            while state.bound[node, i] > 0:
                serves = state.bound[node, i] == state.serving[node, i]
                if (serves and allowed(world, state, i) <= 0) or not _move(world, state, tally, heap, node, i, now):
                    break
            left += state.bound[node, i]
        if left == 0:
            tally.churn[STOPPED] += 1
            close(state, node)


@inner
def allowed(world: World, state: State, i: int) -> int:
    """Return how many serving replicas a disruption budget lets go now; percent round up (the published API)."""
    what, value = world.workload[i, BUDGET], world.workload[i, BUDGET_VALUE]
    wished, serving = state.replica[i, WISHED], state.replica[i, SERVING]
    if what == NO_BUDGET:
        return serving
    if what in (FEWEST, FEWEST_PERCENT):
        return serving - (value if what == FEWEST else ceil_div(wished * value, 100))
    return serving - (wished - (value if what == DOWN else ceil_div(wished * value, 100)))


@inner
def _move(world: World, state: State, tally: Tally, heap: Heap, node: int, i: int, now: int) -> bool:
    zone = world.offer[state.node[node, NODE_OFFER], ZONE]
    serving = state.serving[node, i]
    bind(world, state, node, i, -1)
    spot = choose(world, state, i, zone if world.workload[i, BOUND_ZONE] else NOWHERE)
    bind(world, state, node, i, 1)
    if spot == NOWHERE:
        return False
    unbind(world, state, tally, node, i, 1, now)
    tally.workload[i, MOVED] += serving > state.serving[node, i]
    start(world, state, heap, spot, i, now, NOWHERE)
    return True


@inner
def refuse(world: World, state: State, tally: Tally, node: int, now: int) -> None:
    """Let an order be refused; its offer is left alone for a while."""
    drop_plans(state, node)
    tally.churn[REFUSED] += 1
    state.pool[state.node[node, NODE_OFFER], UNPAID] -= 1
    state.pool[state.node[node, NODE_OFFER], BLOCKED_UNTIL] = now + world.timing[RETRY]
    close(state, node)

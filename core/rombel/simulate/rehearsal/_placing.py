"""Where replicas go and which ones go away, compiled: the filters and the default score of ``simulate.scheduler``, on tables."""

from __future__ import annotations

from heapq import heappush

import numpy as np

from rombel.compiled import inner
from rombel.simulate.rehearsal._tables import (
    ALL_WAITING,
    AUTO,
    BOUND_ZONE,
    CHANGED,
    COMMANDED,
    COUNT,
    CPU,
    DARK,
    DRAINING,
    FIRST,
    FIRST_LONG,
    FOR_S,
    GONE,
    HOW_MANY,
    LAST,
    LATE,
    LIFE,
    LISTED,
    LONG_WAITS,
    LONGEST,
    LONGEST_AT,
    MADE,
    MEMORY,
    NODE_OFFER,
    NODE_SKEW,
    NODE_STATE,
    NOWHERE,
    OPEN,
    PLACE,
    PLACED,
    PLACING,
    REPLICA_S,
    RISKY,
    RISKY_MILLIONTHS,
    RUNS,
    SERVING,
    SINCE,
    SINCE_S,
    START_UP,
    UP,
    WAITED_S,
    WAITING,
    WHO,
    WISHED,
    ZONE,
    ZONE_SKEW,
    Heap,
    Ints,
    State,
    Tally,
    World,
)

(
    PLACE_NOW,
    SERVE,
    RUN_OUT,
    NODE_UP,
    NODE_REFUSED,
    INTERRUPT,
    GIVE_UP,
    BEGIN_BURST,
    END_BURST,
    BEGIN_OUTAGE,
    END_OUTAGE,
) = range(11)
"""What can happen."""


@inner
def happen(heap: Heap, state: State, at: int, kind: int, a: int, b: int, c: int, d: int) -> None:
    """Put something on the clock; of one time the first made comes first."""
    # The running number makes the order whole: two things of one time would else be compared by their kind.
    state.flag[MADE] += 1
    heappush(heap, (at, state.flag[MADE], kind, a, b, c, d))


@inner
def touch(count: Ints, sums: Ints, i: int, now: int) -> None:
    """Count what has served and waited since the last change; called before every change of either."""
    passed = now - count[i, SINCE]
    if passed:
        count[i, REPLICA_S] += passed * count[i, SERVING]
        sums[i, WAITED_S] += passed * count[i, WAITING]
        count[i, SINCE] = now


@inner
def bind(world: World, state: State, node: int, i: int, number: int) -> None:
    """Put replicas on a node, or take them away with a negative number; they do not serve yet."""
    state.bound[node, i] += number
    state.in_zone[i, world.offer[state.node[node, NODE_OFFER], ZONE]] += number
    for r in range(world.request.shape[1]):
        state.free[node, r] -= number * world.request[i, r]


@inner
def unbind(world: World, state: State, tally: Tally, node: int, i: int, number: int, now: int) -> None:
    """Take replicas off a node, starting ones first."""
    touch(state.replica, tally.workload, i, now)
    state.flag[CHANGED] += 1
    # Who does not serve yet is missed by nobody.
    starting = state.bound[node, i] - state.serving[node, i]
    ended = max(0, number - starting)
    state.serving[node, i] -= ended
    state.replica[i, SERVING] -= ended
    bind(world, state, node, i, -number)


@inner
def least_in_domains(world: World, state: State, i: int) -> int:
    """Return the least count over the zones that exist for a workload: those with a listed node on which it may run."""
    least = -1
    for j in range(world.offer.shape[0]):
        # A zone where the workload could not run is no domain of its spread, or the least would be nought for ever.
        if world.most[j, i] > 0 and state.pool[j, LISTED] > 0:
            there = state.in_zone[i, world.offer[j, ZONE]]
            if least < 0 or there < least:
                least = there
    return max(least, 0)


@inner
def choose(world: World, state: State, i: int, home: int) -> int:
    """Return the node that a replica goes to: of those that pass the one with the largest mean share of CPU and memory left."""
    # Nodes are looked at in the order of their rows, and of equals the first wins: in every run alike.
    best, score = NOWHERE, -1.0
    cpu, memory = world.timing[CPU], world.timing[MEMORY]
    skew, node_skew, share = (
        world.workload[i, ZONE_SKEW],
        world.workload[i, NODE_SKEW],
        world.workload[i, RISKY_MILLIONTHS],
    )
    low = least_in_domains(world, state, i) if skew > 0 else 0
    fewest = _fewest_on_a_node(world, state, i) if node_skew > 0 else 0
    risky_full = (
        0 < share < 1_000_000 and (_on_risky(world, state, i) + 1) * 1_000_000 > share * state.replica[i, WISHED]
    )
    for node in range(state.node.shape[0]):
        if state.node[node, NODE_STATE] != UP:
            continue
        j = state.node[node, NODE_OFFER]
        zone = world.offer[j, ZONE]
        if state.bound[node, i] >= world.most[j, i] or (home >= 0 and zone != home):
            continue
        if (skew > 0 and state.in_zone[i, zone] + 1 - low > skew) or (risky_full and world.offer[j, RISKY]):
            continue
        if node_skew > 0 and state.bound[node, i] + 1 - fewest > node_skew:
            continue
        fits = True
        for r in range(world.request.shape[1]):
            fits = fits and state.free[node, r] >= world.request[i, r]
        if fits and not _parted(world, state, node, i):
            # The default score of the scheduler prefers the emptiest; ``simulate.scheduler`` is the same without tables.
            left = (state.free[node, cpu] - world.request[i, cpu]) / max(1, world.room[j, cpu])
            left += (state.free[node, memory] - world.request[i, memory]) / max(1, world.room[j, memory])
            if left > score:
                best, score = node, left
    return best


@inner
def _parted(world: World, state: State, node: int, i: int) -> bool:
    for a in range(world.apart.shape[1]):
        k = world.apart[i, a]
        if k != NOWHERE and state.bound[node, k] > 0:
            return True
    return False


@inner
def _fewest_on_a_node(world: World, state: State, i: int) -> int:
    fewest = -1
    for node in range(state.node.shape[0]):
        stands = state.node[node, NODE_STATE]
        # The API counts nodes that are still listed, also those that take nothing and those that do not answer.
        if stands in (UP, DRAINING, DARK) and world.most[state.node[node, NODE_OFFER], i] > 0:
            there = state.bound[node, i]
            if fewest < 0 or there < fewest:
                fewest = there
    return max(fewest, 0)


@inner
def _on_risky(world: World, state: State, i: int) -> int:
    total = 0
    for node in range(state.node.shape[0]):
        if state.node[node, NODE_STATE] != GONE and world.offer[state.node[node, NODE_OFFER], RISKY]:
            total += state.bound[node, i]
    return total


@inner
def enqueue(state: State, tally: Tally, i: int, home: int, number: int, runs: int, now: int) -> None:
    """Let replicas wait; the last entry of a full queue takes them in, with its earlier time."""
    touch(state.replica, tally.workload, i, now)
    state.replica[i, WAITING] += number
    state.flag[ALL_WAITING] += number
    state.home[i, home] += number
    ends, queue = state.ends[i], state.queue[i]
    length = queue.shape[0]
    if ends[LAST] - ends[FIRST] >= length - 1:
        # Tables of compiled code do not grow: waits are then told too long rather than too short.
        queue[(ends[LAST] - 1) % length, HOW_MANY] += number
        return
    place = ends[LAST] % length
    queue[place, SINCE_S], queue[place, HOW_MANY], queue[place, FOR_S] = now, number, runs
    ends[LAST] += 1


@inner
def _first_waited(world: World, state: State, tally: Tally, i: int, now: int) -> int:
    """Take the one that has waited longest out of the queue; return how long it is to run."""
    ends, queue = state.ends[i], state.queue[i]
    entry = queue[ends[FIRST] % queue.shape[0]]
    waited = now - entry[SINCE_S]
    if waited > tally.workload[i, LONGEST]:
        tally.workload[i, LONGEST], tally.workload[i, LONGEST_AT] = waited, entry[SINCE_S]
    # How long it was is known only now that it has ended.
    if waited > world.timing[LATE]:
        if tally.workload[i, LONG_WAITS] == 0:
            tally.workload[i, FIRST_LONG] = entry[SINCE_S]
        tally.workload[i, LONG_WAITS] += 1
    entry[HOW_MANY] -= 1
    runs = entry[FOR_S]
    if entry[HOW_MANY] == 0:
        ends[FIRST] += 1
    return runs


@inner
def place_soon(world: World, state: State, heap: Heap, now: int) -> None:
    """Let what waits be placed once the scheduler has had its time; one round for all that asks meanwhile."""
    if not state.flag[PLACING]:
        state.flag[PLACING] = 1
        happen(heap, state, now + world.timing[PLACE], PLACE_NOW, 0, 0, 0, 0)


@inner
def place(world: World, state: State, tally: Tally, heap: Heap, now: int) -> None:
    """Place what waits, workloads in their order, as long as nodes pass."""
    state.flag[PLACING] = 0
    zones = state.home.shape[1] - 1
    for i in world.order:
        for h in range(zones + 1):
            home = h if h < zones else NOWHERE
            while state.home[i, h] > 0:
                # Chosen anew for each: the one before took room, and changed the spread.
                node = choose(world, state, i, home)
                if node == NOWHERE:
                    break
                touch(state.replica, tally.workload, i, now)
                state.replica[i, WAITING] -= 1
                state.flag[ALL_WAITING] -= 1
                state.home[i, h] -= 1
                runs = _first_waited(world, state, tally, i, now)
                tally.workload[i, PLACED] += 1
                start(world, state, heap, node, i, now, runs)


@inner
def start(world: World, state: State, heap: Heap, node: int, i: int, now: int, runs: int) -> None:
    """Bind a replica to a node and let it serve once it has started, and end once it has run."""
    bind(world, state, node, i, 1)
    state.flag[CHANGED] += 1
    # Should the node be lost and its row used by another one before then, the life is another number, and nothing happens.
    life, serves = state.node[node, LIFE], now + world.workload[i, START_UP]
    happen(heap, state, serves, SERVE, node, i, 1, life)
    if runs >= 0:
        happen(heap, state, serves + runs, RUN_OUT, node, i, 1, life)


@inner
def begin_burst(world: World, state: State, tally: Tally, heap: Heap, b: int, now: int) -> None:
    """Let the replicas that a burst commands wait for a node; one that scales has so many more than now as its least while that is commanded."""
    i, number, runs = world.burst[b, WHO], world.burst[b, COUNT], world.burst[b, RUNS]
    row = state.replica[i]
    if world.workload[i, AUTO]:
        row[COMMANDED], row[OPEN] = max(row[COMMANDED], row[WISHED]) + number, row[OPEN] + 1
        number, runs = row[COMMANDED] - row[WISHED], NOWHERE
        if world.burst[b, RUNS] >= 0:
            happen(heap, state, now + world.burst[b, RUNS], END_BURST, b, 0, 0, 0)
    row[WISHED] += number
    enqueue(state, tally, i, state.home.shape[1] - 1, number, runs, now)


@inner
def end_burst(world: World, state: State, b: int) -> None:
    """Let what was commanded of a workload that scales be its least no longer."""
    row = state.replica[world.burst[b, WHO]]
    row[OPEN] -= 1
    row[COMMANDED] = row[COMMANDED] - world.burst[b, COUNT] if row[OPEN] else 0


@inner
def give_back(world: World, state: State, tally: Tally, node: int, i: int, number: int, now: int) -> None:
    """Let replicas of a node wait for another one; a zonal volume keeps them waiting for their own zone."""
    unbind(world, state, tally, node, i, number, now)
    zones = state.home.shape[1] - 1
    home = world.offer[state.node[node, NODE_OFFER], ZONE] if world.workload[i, BOUND_ZONE] else zones
    enqueue(state, tally, i, home, number, NOWHERE, now)


@inner
def remove(world: World, state: State, tally: Tally, i: int, number: int, now: int) -> None:
    """Take replicas away: those that wait, newest first, then starting ones, then of the node with most of them."""
    for _ in range(number):
        if state.replica[i, WAITING] > 0:
            _leave_queue(state, tally, i, now)
            continue
        node = _leaving(world, state, i)
        if node == NOWHERE:
            return
        unbind(world, state, tally, node, i, 1, now)


@inner
def _leave_queue(state: State, tally: Tally, i: int, now: int) -> None:
    touch(state.replica, tally.workload, i, now)
    state.replica[i, WAITING] -= 1
    state.flag[ALL_WAITING] -= 1
    h = state.home.shape[1] - 1
    while state.home[i, h] == 0:
        h -= 1
    state.home[i, h] -= 1
    ends, queue = state.ends[i], state.queue[i]
    last = queue[(ends[LAST] - 1) % queue.shape[0]]
    last[HOW_MANY] -= 1
    if last[HOW_MANY] == 0:
        ends[LAST] -= 1


@inner
def _leaving(world: World, state: State, i: int) -> int:
    """Return the node that a replica leaves: starting ones and draining nodes first, then the fullest zone and node (from memory)."""
    best, most = NOWHERE, -1
    for node in range(state.node.shape[0]):
        there = state.bound[node, i]
        if there == 0 or state.node[node, NODE_STATE] == DARK:
            continue
        rank = there + 1_000 * state.in_zone[i, world.offer[state.node[node, NODE_OFFER], ZONE]]
        if there > state.serving[node, i]:
            rank += 1_000_000_000
        if state.node[node, NODE_STATE] == DRAINING:
            rank += 100_000_000
        if rank >= most:
            best, most = node, rank
    return best


@inner
def fits_elsewhere(world: World, state: State, node: int) -> bool:
    """Return whether all that a node carries passes on others; what is tried is taken back."""
    tried = np.empty((state.bound[node].sum(), 2), np.int64)
    stands, done, whole = state.node[node, NODE_STATE], 0, True
    # While it is tried the node itself takes nothing back.
    state.node[node, NODE_STATE] = DRAINING
    carried: Ints = state.bound[node].copy()
    zone = world.offer[state.node[node, NODE_OFFER], ZONE]
    # As one after the other, each seeing the last: room for each alone is no room for all.
    for i in range(carried.shape[0]):
        home = zone if world.workload[i, BOUND_ZONE] else NOWHERE
        for _ in range(carried[i]):
            bind(world, state, node, i, -1)
            spot = choose(world, state, i, home)
            if spot == NOWHERE:
                bind(world, state, node, i, 1)
                whole = False
                break
            bind(world, state, spot, i, 1)
            tried[done, 0], tried[done, 1] = spot, i
            done += 1
        if not whole:
            break
    for t in range(done):
        bind(world, state, tried[t, 0], tried[t, 1], -1)
        bind(world, state, node, tried[t, 1], 1)
    state.node[node, NODE_STATE] = stands
    return whole

"""A rehearsal played, compiled: a clock that jumps from happening to happening, and the looks of the autoscalers in between."""

from __future__ import annotations

from heapq import heappop

import numpy as np
from numba import njit

from rombel.compiled import inner
from rombel.simulate.rehearsal._placing import (
    BEGIN_BURST,
    BEGIN_OUTAGE,
    END_BURST,
    END_OUTAGE,
    GIVE_UP,
    INTERRUPT,
    NODE_REFUSED,
    NODE_UP,
    PLACE_NOW,
    RUN_OUT,
    SERVE,
    begin_burst,
    end_burst,
    enqueue,
    give_back,
    happen,
    place,
    place_soon,
    remove,
    touch,
    unbind,
)
from rombel.simulate.rehearsal._scaling import serve_demand, wish
from rombel.simulate.rehearsal._supply import (
    close,
    drain,
    draw_life,
    draw_wave,
    keep_least,
    let_go,
    lose,
    node_up,
    order_for_waiting,
    refuse,
)
from rombel.simulate.rehearsal._tables import (
    ALL_WAITING,
    AT,
    CHANGE,
    COUNTED,
    DARK,
    END,
    EVICT,
    FROM,
    GONE,
    LEAST,
    LIFE,
    LOOK_DOWN,
    LOST_ZONE,
    MOST,
    NODE_OFFER,
    NODE_STATE,
    NOWHERE,
    PERIOD,
    PLACING,
    REFUSING,
    REPLICA_S,
    RUNNING,
    SAMPLE,
    SERVING,
    SERVING_S,
    START_UP,
    STARTING,
    TAKEN_BACK,
    UNPAID,
    UNTIL,
    UP,
    WAITED_S,
    WHAT,
    WHERE,
    WHO,
    WISHED,
    WISHED_S,
    ZONE,
    Floats,
    Heap,
    Ints,
    State,
    Tally,
    World,
)


@njit(cache=True, nogil=True)
def play_until(world: World, state: State, tally: Tally, until: int, told: Ints) -> int:
    """Play from the start up to a time; return the time that was reached.

    ``told`` holds two whole numbers: the time that is reached by now, and a wish to stop that somebody else may write.
    """
    heap = [(np.int64(0), np.int64(0), np.int64(0), np.int64(0), np.int64(0), np.int64(0), np.int64(0))]
    # The compiler learns what an entry is from one that is made and taken out again.
    heap.pop()
    for b in range(world.burst.shape[0]):
        happen(heap, state, world.burst[b, AT], BEGIN_BURST, b, 0, 0, 0)
    for x in range(world.outage.shape[0]):
        happen(heap, state, world.outage[x, FROM], BEGIN_OUTAGE, x, 0, 0, 0)
        # Both ends at once: how long it lasts does not depend on what happens meanwhile.
        happen(heap, state, world.outage[x, UNTIL], END_OUTAGE, x, 0, 0, 0)
    if state.flag[ALL_WAITING] > 0:
        place_soon(world, state, heap, 0)
    for node in range(state.node.shape[0]):
        if state.node[node, NODE_STATE] == UP:
            # Nodes that stand at the start may be taken back too, each after a time drawn for it.
            draw_life(world, state, heap, node, 0)
    now, look, last = 0, world.timing[PERIOD], min(until, world.timing[END])
    while now < last and told[1] == 0:
        # Nothing changes between two happenings, so that time passes in spans however long.
        coming = min(look, last)
        if len(heap) > 0 and heap[0][0] < coming:
            coming = heap[0][0]
        _pass_time(world, state, tally, now, coming - now)
        now = coming
        # Everything of this moment, in the order in which it was entered: also what it brings about at once.
        while len(heap) > 0 and heap[0][0] == now:
            entry = heappop(heap)
            _do(world, state, tally, heap, entry[2], entry[3], entry[4], entry[5], entry[6], now)
        # What happens at the moment of a look happens before it: autoscalers see what is there by then.
        if now == look:
            _look(world, state, tally, heap, now)
            look += world.timing[PERIOD]
            told[0] = now
    return now


@inner
def _pass_time(world: World, state: State, tally: Tally, now: int, passed: int) -> None:
    """Count the nodes that stand while time passes; looks end samples, so no span lies in two."""
    s, pool, offer = now // world.timing[SAMPLE], state.pool, world.offer
    waits = state.flag[ALL_WAITING] > 0
    for j in range(offer.shape[0]):
        # From the order on, those that are being refused left out.
        runs = pool[j, RUNNING] - pool[j, UNPAID]
        tally.node_s[s, j] += passed * runs
        tally.short_s[s, j] += passed * max(0, offer[j, LEAST] - runs)
        if runs <= offer[j, LEAST]:
            tally.at_least_s[s, j] += passed
        if waits and pool[j, RUNNING] >= offer[j, MOST]:
            tally.at_most_s[s, j] += passed


@inner
def _do(
    world: World,
    state: State,
    tally: Tally,
    heap: Heap,
    kind: int,
    a: int,
    b: int,
    c: int,
    life: int,
    now: int,
) -> None:
    """Let one thing happen; what was meant for a node that is gone does not."""
    if kind == PLACE_NOW:
        place(world, state, tally, heap, now)
    elif kind == BEGIN_BURST:
        begin_burst(world, state, tally, heap, a, now)
        place_soon(world, state, heap, now)
    elif kind == END_BURST:
        end_burst(world, state, a)
    elif kind == BEGIN_OUTAGE:
        _begin_outage(world, state, tally, heap, a, now)
    elif kind == END_OUTAGE:
        _end_outage(world, state, tally, heap, a, now)
    elif kind == GIVE_UP:
        _give_up(world, state, tally, heap, a, now)
    elif kind == RUN_OUT:
        _run_out(world, state, tally, heap, a, b, c, life, now)
    # A place in the table is used again by later nodes; the number of its life tells them apart.
    elif state.node[a, LIFE] == life and state.node[a, NODE_STATE] != GONE:
        if kind == SERVE:
            _serve(world, state, tally, a, b, c, now)
        elif kind == NODE_UP:
            node_up(world, state, heap, a, now)
        elif kind == NODE_REFUSED:
            refuse(world, state, tally, a, now)
        elif kind == INTERRUPT and state.node[a, NODE_STATE] != DARK:
            lose(world, state, tally, heap, a, now)


@inner
def _serve(world: World, state: State, tally: Tally, node: int, i: int, number: int, now: int) -> None:
    # Some may have been taken away while they started.
    started = min(number, state.bound[node, i] - state.serving[node, i])
    if started <= 0 or state.node[node, NODE_STATE] == DARK:
        return
    touch(state.replica, tally.workload, i, now)
    state.serving[node, i] += started
    state.replica[i, SERVING] += started
    # A burst has come through once all that is wished for serves; the first time counts.
    if state.replica[i, SERVING] >= state.replica[i, WISHED]:
        for b in range(world.burst.shape[0]):
            if world.burst[b, WHO] == i and world.burst[b, AT] <= now and tally.burst[b] < 0:
                tally.burst[b] = now


@inner
def _run_out(
    world: World, state: State, tally: Tally, heap: Heap, node: int, i: int, number: int, life: int, now: int
) -> None:
    """Let replicas that have run for their time go, there or, where their node is gone, elsewhere."""
    state.replica[i, WISHED] -= number
    if state.node[node, LIFE] == life and state.bound[node, i] >= number:
        unbind(world, state, tally, node, i, number, now)
    else:
        remove(world, state, tally, i, number, now)
    if state.flag[ALL_WAITING] > 0:
        place_soon(world, state, heap, now)


@inner
def _begin_outage(world: World, state: State, tally: Tally, heap: Heap, x: int, now: int) -> None:
    what = world.outage[x, WHAT]
    for node in range(state.node.shape[0]):
        stands, j = state.node[node, NODE_STATE], state.node[node, NODE_OFFER]
        if stands == GONE:
            continue
        if what == TAKEN_BACK and stands == UP:
            draw_wave(world, state, heap, node, now)
        # Dark nodes keep their replicas: nobody knows yet whether they come back.
        if what == LOST_ZONE and world.offer[j, ZONE] == world.outage[x, WHERE] and stands not in (STARTING, REFUSING):
            state.node[node, NODE_STATE] = DARK
            for i in range(state.bound.shape[1]):
                if state.serving[node, i] > 0:
                    touch(state.replica, tally.workload, i, now)
                    state.replica[i, SERVING] -= state.serving[node, i]
                    state.serving[node, i] = 0
    if what == LOST_ZONE:
        happen(heap, state, now + world.timing[EVICT], GIVE_UP, x, 0, 0, 0)


@inner
def _give_up(world: World, state: State, tally: Tally, heap: Heap, x: int, now: int) -> None:
    """Let the replicas of a lost zone wait, and its nodes be deleted, so that a hard spread no longer counts the zone."""
    # The zone came back before anybody gave its replicas up.
    if world.outage[x, UNTIL] <= now:
        return
    for node in range(state.node.shape[0]):
        if (
            state.node[node, NODE_STATE] == DARK
            and world.offer[state.node[node, NODE_OFFER], ZONE] == world.outage[x, WHERE]
        ):
            for i in range(state.bound.shape[1]):
                if state.bound[node, i] > 0:
                    give_back(world, state, tally, node, i, state.bound[node, i], now)
            # Its place is free for a new node, and it is paid for no longer.
            close(state, node)
    place_soon(world, state, heap, now)


@inner
def _end_outage(world: World, state: State, tally: Tally, heap: Heap, x: int, now: int) -> None:
    """Let dark nodes whose replicas were not given up stand again, those replicas starting."""
    if world.outage[x, WHAT] != LOST_ZONE:
        return
    for node in range(state.node.shape[0]):
        j = state.node[node, NODE_OFFER]
        if state.node[node, NODE_STATE] == DARK and world.offer[j, ZONE] == world.outage[x, WHERE]:
            state.node[node, NODE_STATE] = UP
            for i in range(state.bound.shape[1]):
                if state.bound[node, i] > 0:
                    happen(
                        heap,
                        state,
                        now + world.workload[i, START_UP],
                        SERVE,
                        node,
                        i,
                        state.bound[node, i],
                        state.node[node, LIFE],
                    )
    place_soon(world, state, heap, now)


@inner
def _look(world: World, state: State, tally: Tally, heap: Heap, now: int) -> None:
    """Look at everything once: what was asked and served, how many replicas that wants, and the nodes for them."""
    # A look ends the period before it, so at the edge of two samples it counts to the earlier.
    s = (now - 1) // world.timing[SAMPLE]
    _count_replicas(state.replica, tally.workload, tally.waiting_s, tally.through, world.timing[PERIOD], s, now)
    serve_demand(world.workload, world.load, world.demand, world.timing, state.replica, state.backlog, state.held, state.used, tally.load,
                 tally.through, s, now)  # fmt: skip
    changes = wish(
        world.workload,
        world.policy,
        world.load,
        state.replica,
        state.used,
        state.asked,
        state.change,
        world.timing[PERIOD],
        now,
    )
    if changes:
        for i in range(state.replica.shape[0]):
            change = state.replica[i, CHANGE]
            if change > 0:
                enqueue(state, tally, i, state.home.shape[1] - 1, change, NOWHERE, now)
                place_soon(world, state, heap, now)
            elif change < 0:
                remove(world, state, tally, i, -change, now)
    # In this order: the nodes owed in any case, those that go, those that waiting replicas need.
    keep_least(world, state, tally, heap, now)
    drain(world, state, tally, heap, now)
    if state.flag[PLACING]:
        return  # A node may just have come for what waits: nothing is ordered, and nothing let go, before it is placed.
    if state.flag[ALL_WAITING] > 0:
        order_for_waiting(world, state, tally, heap, now)
    elif now % world.timing[LOOK_DOWN] == 0:
        let_go(world, state, now)


@inner
def _count_replicas(count: Ints, sums: Ints, waiting_s: Ints, through: Floats, period: int, s: int, now: int) -> None:
    """Count what served and waited in the period that ends now to its sample; what served stays in ``count`` for the demand."""
    for i in range(count.shape[0]):
        touch(count, sums, i, now)
        waiting_s[s, i] += sums[i, WAITED_S] - count[i, COUNTED]
        count[i, COUNTED] = sums[i, WAITED_S]
        through[s, WISHED_S] += period * count[i, WISHED]
        through[s, SERVING_S] += count[i, REPLICA_S]

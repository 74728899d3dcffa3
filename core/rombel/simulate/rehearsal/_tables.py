"""What a rehearsal is played on: tables of whole numbers with named columns, which compiled loops read and write.

``World`` is what does not change, ``State`` what stands now, ``Tally`` what has been counted. I workloads, R resources, J offers, Z zones,
K loads, N places for nodes, Q quotas, B bursts, S samples of time.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

Ints = NDArray[np.int64]
Floats = NDArray[np.float64]
Heap = list[tuple[int, int, int, int, int, int, int]]
"""What is to come: time, order of asking, kind, and four whole numbers."""

NOWHERE = -1

# fmt: off
(PERIOD, END, STEP, LOOK_OUT, IDLE, LOOK_DOWN, REFUSAL, RETRY, EVICT, PLACE, PATIENCE, LATE, SAMPLE, CPU, MEMORY, TIMING) = range(16)
"""Places in ``World.timing``: seconds, and which resources are CPU and memory."""

(LO, HI, AUTO, START_UP, ZONE_SKEW, NODE_SKEW, BOUND_ZONE, BUDGET, BUDGET_VALUE, RISKY_MILLIONTHS, UP_TOLERANCE, DOWN_TOLERANCE, UP_WINDOW,
 DOWN_WINDOW, UP_FROM, UP_TO, DOWN_FROM, DOWN_TO, UP_SELECT, DOWN_SELECT, FIRST_LOAD, LAST_LOAD, WORKLOAD) = range(23)
"""Columns of ``World.workload``."""

(ZONE, RISKY, LEAST, MOST, KEPT, PRICE, TAKEN, OFFER) = range(8)
"""Columns of ``World.offer``: the price of one node more, and how often one is taken back at any time, both in millionths an hour."""

(OWNER, CAPACITY, TARGET, LOAD) = range(4)
"""Columns of ``World.load``."""

(AT, WHO, COUNT, RUNS, BURST) = range(5)
"""Columns of ``World.burst``; -1 seconds: it runs for good."""

(FROM, UNTIL, WHAT, WHERE, WHICH, RATE, OUTAGE) = range(7)
"""Columns of ``World.outage``: -1 where or which means all; the rate is in millionths an hour."""
LOST_ZONE, NO_STOCK, TAKEN_BACK = range(3)

NO_BUDGET, FEWEST, FEWEST_PERCENT, DOWN, DOWN_PERCENT = range(5)
"""What a disruption budget states."""

(NODE_OFFER, NODE_STATE, IDLE_SINCE, LIFE, TRIED_AT, FITS, NODE) = range(7)
"""Columns of ``State.node``; ``LIFE`` counts the nodes that stood at a place, so that what was meant for an earlier one is known."""
GONE, STARTING, REFUSING, UP, DRAINING, DARK = range(6)
"""What a node is."""

(WISHED, SERVING, WAITING, COMMANDED, PLANNED, SINCE, REPLICA_S, NEXT_CHANGE, COUNTED, CHANGE, OPEN, COUNTS) = range(12)
"""Columns of ``State.replica``, a row a workload."""

(RUNNING, LISTED, UNPAID, BLOCKED_UNTIL, POOL) = range(5)
"""Columns of ``State.pool``, a row an offer."""

(SINCE_S, HOW_MANY, FOR_S, ENTRY) = range(4)
"""What an entry of a workload's queue holds."""
FIRST, LAST = 0, 1

(PLACING, DRAWN, MADE, ALL_WAITING, CHANGED, FLAGS) = range(6)
"""Places in ``State.flag``."""

(ASKED, SERVED, GIVEN_UP, LATE_PART, SUMS) = range(5)
"""Columns of ``Tally.load``: amounts in thousandths of the load's unit."""

(WORTH_ASKED, WORTH_SERVED, WORTH_LOST, SERVING_S, WISHED_S, THROUGH) = range(6)
"""Columns of ``Tally.through``: what replicas are worth, in replica-seconds of a sample."""

(WAITED_S, LONGEST, LONGEST_AT, LONG_WAITS, FIRST_LONG, PLACED, MOVED, WORKLOAD_SUMS) = range(8)
"""Columns of ``Tally.workload``."""

(STARTED, STOPPED, REFUSED, INTERRUPTED, CHURN) = range(5)
"""Places in ``Tally.churn``."""
# fmt: on


class World(NamedTuple):
    """What does not change while a rehearsal is played.

    ``request`` (I, R), ``apart`` (I, A) numbers of workloads that stand apart, ``order`` (I,) in which workloads are placed, ``policy``
    (P, 3), ``room`` (J, R), ``most`` (J, I) replicas on one node, ``quota_use`` (Q, J), ``demand`` (K, T), ``starts`` and ``lives``
    (D,) what chance has drawn before: seconds until a node is up, and lives of unit mean.
    """

    timing: Ints
    workload: Ints
    request: Ints
    apart: Ints
    order: Ints
    policy: Ints
    offer: Ints
    room: Ints
    most: Ints
    quota_use: Ints
    quota_most: Ints
    load: Ints
    demand: Ints
    burst: Ints
    outage: Ints
    starts: Ints
    lives: Floats


class State(NamedTuple):
    """What stands now.

    ``free`` (N, R), ``bound`` and ``serving`` (N, I), ``planned`` (N, I) what a starting node is meant for, ``in_zone`` (I, Z) bound on listed
    nodes, ``home`` (I, Z + 1) waiting by the zone they are bound to (the last: none), ``queue`` (I, L, 3) who waits since when,
    ``ends`` (I, 2) of it, ``asked`` (I, W) recommendations, ``change`` (I, H, 2), ``backlog`` (K, A) demand by age,
    ``held`` (K,) their sum, ``used`` (K,) what was served in the last period, -1 where nothing is known.
    """

    node: Ints
    free: Ints
    bound: Ints
    serving: Ints
    planned: Ints
    replica: Ints
    pool: Ints
    in_zone: Ints
    home: Ints
    queue: Ints
    ends: Ints
    asked: Ints
    change: Ints
    backlog: Ints
    held: Ints
    used: Ints
    flag: Ints


class Tally(NamedTuple):
    """What has been counted.

    ``node_s``, ``at_most_s``, ``at_least_s`` (S, J), ``short_s`` (S, J) node-seconds that a pool lacked of its least, ``waiting_s`` (S, I),
    ``burst`` (B,) when all of it ran (-1: not yet), ``peak`` (J,) most nodes at once.
    """

    load: Ints
    through: Floats
    node_s: Ints
    at_most_s: Ints
    at_least_s: Ints
    short_s: Ints
    waiting_s: Ints
    workload: Ints
    burst: Ints
    churn: Ints
    peak: Ints

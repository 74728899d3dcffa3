"""Replicas for a waiting target: Erlang's formulas for servers that share one queue.

Arrivals are random (Poisson) and service times exponential; a load of ``a`` erlangs is arrivals a second times
mean service time. Source: A. K. Erlang 1917; Hillier & Lieberman, Introduction to Operations Research, queueing
theory (from memory).
"""

from __future__ import annotations

import math
from functools import lru_cache

from rombel.errors import refuse

MOST_SERVERS = 1_000_000
"""More replicas than this are refused, not sought."""


def erlang_b(load: float, servers: int) -> float:
    """Return the probability that all servers are busy when nobody may wait; O(servers)."""
    blocked = 1.0
    for count in range(1, servers + 1):
        # The recurrence is stable for any load, where factorials are not.
        blocked = load * blocked / (count + load * blocked)
    return blocked


def erlang_c(load: float, servers: int) -> float:
    """Return the probability that an arrival waits; 1 where the servers cannot keep up."""
    if load >= servers:
        return 1.0
    blocked = erlang_b(load, servers)
    return servers * blocked / (servers - load * (1 - blocked))


def late_share(load: float, servers: int, wait_in_services: float) -> float:
    """Return the share of arrivals that wait longer than so many mean service times."""
    if load >= servers:
        return 1.0
    return erlang_c(load, servers) * math.exp(-(servers - load) * wait_in_services)


@lru_cache(maxsize=4096)
def fewest_servers(load: float, wait_in_services: float, most_late: float) -> int:
    """Return the fewest servers with which at most a share of arrivals waits longer; O(result).

    Parameters
    ----------
    load
        Offered load in erlangs.
    wait_in_services
        Longest wait, in mean service times.
    most_late
        Share of arrivals that may wait longer, above 0.

    Raises
    ------
    InputRefused
        When it would take more than a million.

    """
    if load <= 0:
        return 0
    if not load < MOST_SERVERS:  # As many servers at least; nobody need count up to them.
        raise refuse(
            "demand.load", "peak_load", "The load needs more than a million replicas.", "Check rate and seconds."
        )
    blocked = 1.0
    for count in range(1, MOST_SERVERS + 1):
        blocked = load * blocked / (count + load * blocked)
        # With as many servers as load the queue grows without end.
        if count <= load:
            continue
        waiting = count * blocked / (count - load * (1 - blocked))
        # Waiting beyond a time decays exponentially (Erlang C with exponential service).
        if waiting * math.exp(-(count - load) * wait_in_services) <= most_late:
            return count
    raise refuse("demand.load", "peak_load", "The load needs more than a million replicas.", "Check rate and seconds.")

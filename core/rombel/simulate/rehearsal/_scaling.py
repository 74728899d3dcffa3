"""What replicas serve of what is asked, and how many are wished for then, compiled.

Demand is a stream: what is not served within a period waits, the oldest part is served first, and what has waited for longer than anybody
has patience is lost. Asked = served + waiting + lost, exactly.
"""

from __future__ import annotations

from rombel.compiled import inner
from rombel.simulate.rehearsal._rules import least_after, most_after, recommended, stabilised
from rombel.simulate.rehearsal._tables import (
    ASKED,
    AUTO,
    CAPACITY,
    CHANGE,
    COMMANDED,
    DOWN_FROM,
    DOWN_SELECT,
    DOWN_TO,
    DOWN_TOLERANCE,
    DOWN_WINDOW,
    FIRST_LOAD,
    GIVEN_UP,
    HI,
    LAST_LOAD,
    LATE,
    LATE_PART,
    LO,
    NEXT_CHANGE,
    PERIOD,
    REPLICA_S,
    SERVED,
    SERVING,
    STEP,
    TARGET,
    UP_FROM,
    UP_SELECT,
    UP_TO,
    UP_TOLERANCE,
    UP_WINDOW,
    WISHED,
    WORTH_ASKED,
    WORTH_LOST,
    WORTH_SERVED,
    Floats,
    Ints,
)


@inner
def serve_demand(
    workload: Ints, load: Ints, demand: Ints, timing: Ints, count: Ints, backlog: Ints, held: Ints, used: Ints, sums: Ints,
    through: Floats, s: int, now: int
) -> None:  # fmt: skip
    """Serve what has been asked since the last look by what replicas bore meanwhile; tables by themselves, as whole ones are slow to pass."""
    period, step = timing[PERIOD], (now - 1) // timing[STEP]
    late_looks, look = timing[LATE] // period, now // period
    for i in range(workload.shape[0]):
        for k in range(workload[i, FIRST_LOAD], workload[i, LAST_LOAD]):
            asked, capacity = demand[k, step], load[k, CAPACITY]
            inflow, borne = max(0, asked) * period, count[i, REPLICA_S] * load[k, CAPACITY]
            served, lost, late = inflow, 0, 0
            # Mostly nothing waits and everything is served.
            if held[k] > 0 or inflow > borne:
                served, lost, late = _through_backlog(backlog, k, inflow, borne, look, late_looks)
                held[k] += inflow - served - lost
            sums[k, ASKED] += inflow
            sums[k, SERVED] += served
            sums[k, GIVEN_UP] += lost
            sums[k, LATE_PART] += late + lost
            # In replicas' worth, so that requests and millicores can stand in one picture.
            through[s, WORTH_ASKED] += inflow / capacity
            through[s, WORTH_SERVED] += served / capacity
            through[s, WORTH_LOST] += lost / capacity
            # What was served within this period is what a metric of it shows; unknown stays unknown.
            used[k] = served if asked >= 0 else -1
        count[i, REPLICA_S] = 0


@inner
def _through_backlog(
    backlog: Ints, k: int, inflow: int, borne: int, look: int, late_looks: int
) -> tuple[int, int, int]:
    """Return what is served, what is lost, and what of the served was late; ``backlog`` (K, A) holds what waits, by the look it came at."""
    ages = backlog.shape[1]
    here = look % ages
    # The oldest part stands where the newest goes: nobody has waited for it any longer.
    lost = backlog[k, here]
    backlog[k, here] = inflow
    served, late = 0, 0
    for age in range(ages - 1, -1, -1):
        place = (look - age) % ages
        part = min(backlog[k, place], borne - served)
        backlog[k, place] -= part
        served += part
        if age > late_looks:
            late += part
    return served, lost, late


@inner
def wish(
    workload: Ints, policy: Ints, load: Ints, count: Ints, used: Ints, asked: Ints, change: Ints, period: int, now: int
) -> bool:
    """Write down by how many replicas autoscaling changes every workload now; return whether it changes any."""
    found, look, size = False, now // period, asked.shape[1]
    for i in range(workload.shape[0]):
        count[i, CHANGE] = 0
        if not workload[i, AUTO]:
            continue
        current = count[i, WISHED]
        wanted = _wanted(workload, load, count, used, i, current, period)
        asked[i, look % size] = wanted
        lowest = highest = wanted
        # A window is looked through only as far as it can still decide.
        back = 1
        while lowest > current and back <= workload[i, UP_WINDOW] // period:
            lowest = min(lowest, asked[i, (look - back) % size])
            back += 1
        back = 1
        while highest < current and back <= workload[i, DOWN_WINDOW] // period:
            highest = max(highest, asked[i, (look - back) % size])
            back += 1
        new = stabilised(current, lowest, highest)
        if new > current:
            policies = policy[workload[i, UP_FROM] : workload[i, UP_TO]]
            new = min(new, most_after(policies, workload[i, UP_SELECT], change[i], now, current))
        elif new < current:
            policies = policy[workload[i, DOWN_FROM] : workload[i, DOWN_TO]]
            new = max(new, least_after(policies, workload[i, DOWN_SELECT], change[i], now, current))
        # Bounds last; what is commanded is the least there is, whatever the most.
        commanded = count[i, COMMANDED]
        new = max(min(max(new, workload[i, LO]), workload[i, HI]), commanded)
        if new != current:
            place = count[i, NEXT_CHANGE] % change.shape[1]
            change[i, place, 0], change[i, place, 1] = now, new - current
            count[i, NEXT_CHANGE] += 1
            count[i, WISHED], count[i, CHANGE], found = new, new - current, True
    return found


@inner
def _wanted(workload: Ints, load: Ints, count: Ints, used: Ints, i: int, current: int, period: int) -> int:
    """Return the most that a metric asks for; without any, or where one is missing and the others ask for fewer, what there is."""
    wanted, found, unknown, ready = 0, False, False, count[i, SERVING]
    for k in range(workload[i, FIRST_LOAD], workload[i, LAST_LOAD]):
        if used[k] < 0:
            unknown = True
            continue
        asks = recommended(
            used[k],
            ready,
            current - ready,
            0,
            load[k, TARGET] * period,
            workload[i, UP_TOLERANCE],
            workload[i, DOWN_TOLERANCE],
            current,
        )
        wanted, found = max(wanted, asks), True
    if not found or (unknown and wanted < current):
        return current
    return wanted

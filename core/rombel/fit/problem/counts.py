"""Step 3. How many replicas are placed, in all and in each zone: what promise and spread rule make of the replicas asked for."""

from __future__ import annotations

import math
from dataclasses import replace
from itertools import islice

import numpy as np

from rombel.fit.problem.instance import UNLIMITED, Floats, Instance, Ints
from rombel.fit.problem.zone_counts import ZoneRules
from rombel.model.fit_problem import Survival, Workload


def standing_total(replicas: int, zones: int, equal: bool) -> int:
    """Return the fewest replicas of which ``replicas`` are left whichever one of the zones is lost.

    With equal counts ``zones * ceil(replicas / (zones - 1))``; else the least T with ``T - ceil(T / zones) >=
    replicas``. ``zones`` is at least 2.
    """
    if equal:
        return zones * -(-replicas // (zones - 1))
    count = replicas
    # Each added replica lowers what the fullest zone can hold, and so this ends after few.
    while count - -(-count // zones) < replicas:
        count += 1
    return count


def counted(instance: Instance, thin: Ints) -> Instance:
    """Return the instance with how many replicas are placed, in all and by zone; ``thin`` (I,) most on a node by choice."""
    total, least = instance.total.copy(), instance.least_total.copy()
    window, bounds = instance.window.copy(), instance.bounds.copy()
    for i, workload in enumerate(instance.workloads):
        total[i] = least[i] = workload.replicas
        zones, rules = instance.rules_of(i)
        if not zones:
            continue
        standing = instance.promise(i) is Survival.STANDING
        # With a promise to stand, more are placed than asked for: as few as leave enough whatever zone is lost.
        if standing and len(zones) > 1:
            fewest = standing_total(workload.left, len(zones), workload.equal_zones)
            total[i] = least[i] = rules.total() or max(workload.replicas, fewest)
        loss = instance.problem.node_promise_of(workload)
        # When nodes are lost, so many of the fullest go: with at most ``thin`` on each that is what must stand on top.
        if loss.promised and loss.how is Survival.STANDING:
            total[i] = max(int(total[i]), workload.left + loss.count * int(thin[i]))
            least[i] = max(int(least[i]), workload.left + loss.count)
            if workload.equal_zones:
                total[i] = -(-int(total[i]) // len(zones)) * len(zones)
        window[i, zones] = _window(instance, i, rules, int(total[i]))
        exact = not standing and least[i] == workload.replicas
        bounds[i, zones] = _bounds(rules, int(least[i]), exact)
    shares = [most_interruptible(w, int(total[i])) for i, w in enumerate(instance.workloads)]
    most = np.array(shares, np.int64)
    return replace(instance, total=total, window=window, least_total=least, bounds=bounds, interruptible_most=most)


def around(instance: Instance, counts: Floats) -> Instance:
    """Return the instance with every window as near as the rules allow to (I, Z) counts of a relaxation, which may be parts.

    A spread rule of 2 or more, and replicas that must stand, leave more than one window open: the relaxation knows the prices
    and the quotas of the zones.
    """
    total, window = instance.total.copy(), instance.window.copy()
    for i, workload in enumerate(instance.workloads):
        standing = instance.promise(i) is Survival.STANDING and total[i] == instance.least_total[i]
        open_window = instance.skew[i] > 1 and not instance.lands[i] and total[i] == workload.replicas
        # Windows are moved only where the rules leave a choice; the relaxation shows which zones are cheaper.
        if not workload.equal_zones and (standing or open_window):
            zones, rules = instance.rules_of(i)
            found = rules.nearest(counts[i, zones], int(instance.least_total[i]))
            if found is not None:
                total[i], window[i, zones, 0], window[i, zones, 1] = found
    shares = [most_interruptible(w, int(total[i])) for i, w in enumerate(instance.workloads)]
    return replace(instance, total=total, window=window, interruptible_most=np.array(shares, np.int64))


def most_interruptible(workload: Workload, count: int) -> int:
    """Return how many of ``count`` replicas may run on interruptible nodes."""
    # The tolerance keeps a share such as 0.3 of 10 from becoming 2 by an error of floats.
    return math.floor(workload.interruptible_share * count + 1e-9)


def _bounds(rules: ZoneRules, least: int, exact: bool) -> Ints:
    """Return (D, 2) the fewest and most replicas of any answer in each zone, when ``least`` or, if not exact, more are placed."""
    # Bounds are of every valid answer, and so may only say what follows from the rules themselves.
    bounds = np.stack([rules.held, np.full(len(rules.caps), UNLIMITED)], axis=1)
    emptiest, zones = int(rules.caps.min(initial=UNLIMITED)), len(rules.caps)
    if rules.skew is not None:
        # The other zones can be at most the spread above the emptiest one.
        fewest = min(max(0, -(-(least - (zones - 1) * rules.skew) // zones)), emptiest)
        bounds[:, 0] = np.maximum(bounds[:, 0], fewest)
        if exact:
            bounds[:, 1] = min(least, (least + (zones - 1) * rules.skew) // zones)
        if emptiest < UNLIMITED:
            bounds[:, 1] = np.minimum(bounds[:, 1], emptiest + rules.skew)
    elif exact:
        bounds[:, 1] = least
    bounds[:, 1] = np.maximum(bounds[:, 1], rules.held)
    return bounds


def _window(instance: Instance, i: int, rules: ZoneRules, total: int) -> Ints:
    """Return (D, 2) the fewest and most replicas that the search keeps to in each zone, so that spread and promise follow.

    A skew of k allows any counts in a window of width k; the one around the even share is taken where it serves.
    """
    # The search keeps to the middle of what the spread allows, so that promises after a loss are easier to keep.
    middle = 0 if rules.skew is None else max(0, total // len(rules.caps) - rules.skew // 2)
    starts = list(islice(rules.starts(total), max(1, rules.skew or 0)))
    fewest = min(starts, key=lambda start: abs(start - middle), default=middle)
    low, most = rules.window(total, fewest)
    if instance.promise(i) is Survival.LANDING:
        # So many can stand in a zone at most that the rest has as much room as is needed without it.
        even = standing_total(total, len(low), equal=False) - total if len(low) > 1 else total
        most = np.maximum(low, np.minimum(most, even))
    return np.stack([low, np.maximum(most, rules.held)], axis=1)

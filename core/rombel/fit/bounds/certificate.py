"""Step 6. The certificate of a floor: prices of replicas and of room, from the relaxation that proved it."""

from __future__ import annotations

from decimal import ROUND_DOWN, Decimal

import numpy as np

from rombel.fit.bounds.divisible import Divisible
from rombel.fit.bounds.linking import Linking
from rombel.fit.check._certificate import DIGITS
from rombel.model.fit_solution import Certificate, RoomPrice

_STEP = Decimal(1).scaleb(-DIGITS)
FAINT = 1e-15
"""Money that is not worth writing down."""


def certificate_of(linking: Linking, prices: Divisible) -> Certificate:
    """Return what proves the floor that these prices give, in the words of the problem.

    A replica is priced by the zone in which it runs or, where replicas land, by the zone that is lost.
    """
    instance = linking.instance
    zones, landing = instance.problem.zones, bool(instance.lands.any())
    worth: dict[str, dict[str, Decimal]] = {}
    for i, workload in enumerate(instance.workloads):
        paid = {}
        for index, zone in enumerate(zones):
            # Without landing a replica is paid for where it stands; with it, in every scenario that it must survive.
            scenario, here = (index, instance.zone != index) if landing else (0, instance.zone == index)
            # All offers of a zone are paid alike, so the largest is the price, and zeros are offers that cannot carry the class.
            amount = float(prices.replica_price[scenario, here, i].max(initial=0.0)) * instance.money_per_cost
            if amount > FAINT:
                paid[zone] = _money(amount)
        worth[workload.name] = paid
    room = [
        RoomPrice(instance.offers[offer][0].key(instance.offers[offer][1]), zones[scenario] if landing else "", amounts)
        for scenario, offer in np.argwhere(linking.nodes >= 0)
        if (
            amounts := _named(
                instance.resources, prices.room_price[scenario, offer] * instance.money_per_cost / instance.grain
            )
        )
    ]
    return Certificate(worth, tuple(room))


def _named(resources: tuple[str, ...], amounts: np.ndarray) -> dict[str, Decimal]:
    return {name: _money(float(amount)) for name, amount in zip(resources, amounts, strict=True) if amount > 0}


def _money(amount: float) -> Decimal:
    """Return the amount in the units that the checker counts in."""
    # Rounded down: a price that is too low proves a little less, one that is too high could prove too much.
    return Decimal(amount).quantize(_STEP, ROUND_DOWN).normalize()

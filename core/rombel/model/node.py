"""What a node can really use: capacity less what it keeps for itself.

``allocatable = capacity - kubelet - system - hard eviction threshold``; eviction does not touch CPU and a
percentage threshold is taken of the capacity. Source: documentation "Reserve Compute Resources for System
Daemons" (rule and worked example from memory).
"""

from __future__ import annotations

from dataclasses import dataclass, field

from rombel.errors import refuse
from rombel.model.pod import Amounts


@dataclass(frozen=True, slots=True)
class ReservationRule:
    """What every node keeps back before a pod may land on it.

    Parameters
    ----------
    kubelet, system
        Fixed amounts for the node agent and the operating system.
    eviction_memory_bytes
        Hard eviction threshold of memory.
    memory_share_percent
        A further share of the memory capacity, in whole percent, rounded up.

    """

    kubelet: Amounts = field(default_factory=lambda: Amounts(60, 256 * 2**20))
    system: Amounts = field(default_factory=lambda: Amounts(40, 128 * 2**20))
    eviction_memory_bytes: int = 100 * 2**20
    memory_share_percent: int = 0


def allocatable(capacity: Amounts, rule: ReservationRule, path: str = "") -> Amounts:
    """Return the amounts that pods may request on a node of this capacity.

    Raises
    ------
    InputRefused
        When the node keeps more than it has.

    """
    share = -(-capacity.memory_bytes * rule.memory_share_percent // 100)
    cpu = capacity.cpu_millicores - rule.kubelet.cpu_millicores - rule.system.cpu_millicores
    memory = capacity.memory_bytes - rule.kubelet.memory_bytes - rule.system.memory_bytes
    memory -= rule.eviction_memory_bytes + share
    if cpu <= 0 or memory <= 0:
        raise refuse(
            "node.reservation", path, "The node keeps more for itself than it has.", "Lower the reservation rule."
        )
    return Amounts(cpu, memory)

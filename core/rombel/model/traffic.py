"""What a workload sends in a month: to the outside, to a workload by name, or to others without saying which."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from rombel.errors import refuse

OUTSIDE = "out"
"""The receiver that stands for everything outside the cluster."""
UNSAID = "inside"
"""The receiver that stands for other workloads, without saying which."""
MOST_RECEIVERS = 100


@dataclass(frozen=True, slots=True)
class Traffic:
    """What a workload sends to one receiver.

    Parameters
    ----------
    to
        ``out``, ``inside``, or a workload's ``namespace/name``.
    size_bytes
        How much in a month of 730 hours.

    """

    to: str
    size_bytes: int


def checked_traffic(sent: Sequence[Traffic]) -> tuple[Traffic, ...]:
    """Return what is sent, once every receiver can be one.

    Raises
    ------
    InputRefused
        When a receiver is neither ``out`` nor ``inside`` nor the name of a workload, nothing is sent to it, or there are too many.

    """
    for entry in sent:
        if entry.to not in (OUTSIDE, UNSAID) and (entry.to.count("/") != 1 or "" in entry.to.split("/")):
            fix = "Write out, inside, or namespace/name, as in out=120Gi;shop/db=1.5Ti."
            raise refuse("demand.traffic", "", f"'{entry.to[:60]}' receives nothing that can be told.", fix)
        if entry.size_bytes < 2**20:
            reason = f"{entry.size_bytes} bytes a month to '{entry.to[:60]}': the unit is missing."
            raise refuse("demand.traffic", "", reason, "Write an amount with its unit, such as 120Gi, or leave it out.")
    if len(sent) > MOST_RECEIVERS:
        reason = f"{len(sent)} receivers of one workload are more than {MOST_RECEIVERS}."
        raise refuse("demand.traffic", "", reason, "Put those that receive least together as inside.")
    return tuple(sent)

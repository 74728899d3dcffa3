"""How large a range must be: whole powers of two, by integers alone."""

from __future__ import annotations

LEAST_BLOCK = 16
"""Addresses of the smallest block that a node's pods get."""
STATIC_LEAST, STATIC_MOST = 16, 256


def power_of_two(count: int) -> int:
    """Return the smallest power of two that is at least ``count``; of 1 or less 1."""
    return 1 << max(0, count - 1).bit_length()


def prefix_for(addresses: int, bits: int = 32) -> int:
    """Return the longest prefix whose range has so many addresses; negative: no range of the family does."""
    return bits - (power_of_two(addresses).bit_length() - 1)


def pod_block(most_pods: int, *, twice: bool = True) -> int:
    """Return the addresses that a node gets for its pods: a power of two, at least twice the most pods by common practice (no source).

    Twice, so that an address need not be used again while traffic for the pod that had it is still on its way.
    """
    return max(LEAST_BLOCK, power_of_two(most_pods * (2 if twice else 1)))


def static_band(size: int) -> int:
    """Return how many addresses at the start of a range for services are kept for those chosen by hand.

    ``min(max(16, size / 16), 256)``; source: Kubernetes documentation, "Service ClusterIP allocation" (from memory).
    """
    return min(max(STATIC_LEAST, size // 16), STATIC_MOST)

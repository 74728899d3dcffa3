"""Taking aligned ranges out of what is free, so that as much as can be taken is.

Ranges are powers of two and aligned to their size, so two of them either hold one another or are apart. Each request is met from the smallest free
range that holds it. That is exact: had a larger one been split instead, what is free then could be split off from what is free now, so no later
request can fail that another choice would have met.
"""

from __future__ import annotations

from bisect import insort
from collections.abc import Iterable, Iterator, Sequence

from rombel.addressing.reading import Network


class FreeSpace:
    """What is free of a parent range, to be taken range by range."""

    def __init__(self, parent: Network, used: Iterable[Network] = ()) -> None:
        self.parent = parent
        taken = [network for network in used if network.version == parent.version and network.overlaps(parent)]
        self._free: list[tuple[int, int, Network]] = []
        for network in _gaps(parent, taken):
            self._give(network)

    @property
    def free(self) -> list[Network]:
        """Return the free ranges in the order of their addresses, as few as they can be."""
        return sorted((network for _, _, network in self._free), key=lambda network: int(network.network_address))

    def take(self, prefix: int) -> Network | None:
        """Return a range of a prefix length, now taken; None: no free range holds it."""
        # Kept in the order of size, the smallest first; of equal ones the one with the lowest addresses.
        place = next((n for n, (size, _, _) in enumerate(self._free) if -size <= prefix), None)
        if place is None:
            return None
        _, _, around = self._free.pop(place)
        while around.prefixlen < prefix:
            around, rest = around.subnets(1)
            self._give(rest)
        return around

    def holds(self, network: Network) -> bool:
        """Return whether all of a range is free."""
        return any(
            each.version == network.version and network.subnet_of(each)  # type: ignore[arg-type]
            for _, _, each in self._free
        )

    def drop(self, network: Network) -> None:
        """Count a range as taken, free or not."""
        kept = [each for _, _, each in self._free]
        self._free = []
        for each in kept:
            for gap in _gaps(each, [network] if network.overlaps(each) else []):
                self._give(gap)

    def _give(self, network: Network) -> None:
        insort(self._free, (-network.prefixlen, int(network.network_address), network))


def _gaps(around: Network, used: Sequence[Network]) -> Iterator[Network]:
    """Yield the largest ranges within one that no used range touches."""
    if not used:
        yield around
    elif not any(around.subnet_of(network) for network in used):  # type: ignore[arg-type]
        for half in around.subnets(1):
            yield from _gaps(half, [network for network in used if network.overlaps(half)])

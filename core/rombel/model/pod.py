"""What one pod asks of a node, by the published rule of the Kubernetes API.

Per resource: the larger of (sum of the regular containers and all sidecars) and the heaviest init step,
where an init step runs beside the sidecars started before it; then the pod's overhead on top. A request
left out is taken from the limit. Source: API reference, ``PodSpec.initContainers``; documentation "Sidecar
Containers" and "Pod Overhead" (worked examples from memory).
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Amounts:
    """CPU and memory together: millicores and bytes, both at least 0."""

    cpu_millicores: int = 0
    memory_bytes: int = 0

    def __add__(self, other: Amounts) -> Amounts:
        """Return the sum, resource by resource."""
        return Amounts(self.cpu_millicores + other.cpu_millicores, self.memory_bytes + other.memory_bytes)

    def at_least(self, other: Amounts) -> Amounts:
        """Return the larger of both, resource by resource."""
        return Amounts(max(self.cpu_millicores, other.cpu_millicores), max(self.memory_bytes, other.memory_bytes))


@dataclass(frozen=True, slots=True)
class InitStep:
    """One init container; ``keeps_running`` marks a sidecar (restart policy Always)."""

    request: Amounts
    keeps_running: bool = False


def total(parts: Iterable[Amounts]) -> Amounts:
    """Return the sum of all parts; nothing gives zero."""
    result = Amounts()
    for part in parts:
        result += part
    return result


def effective_request(
    containers: Iterable[Amounts], inits: Iterable[InitStep] = (), overhead: Amounts | None = None
) -> Amounts:
    """Return what the scheduler counts for one pod.

    Parameters
    ----------
    containers
        Requests of the regular containers.
    inits
        Init containers in their order, sidecars among them.
    overhead
        The pod's overhead, added last.

    """
    sidecars, heaviest = Amounts(), Amounts()
    for step in inits:
        # A sidecar goes on running beside every step that follows it.
        if step.keeps_running:
            sidecars += step.request
            heaviest = heaviest.at_least(sidecars)
        else:
            heaviest = heaviest.at_least(sidecars + step.request)
    running = total(containers) + sidecars
    # Either the heaviest step of starting or all that runs afterwards, whichever asks more.
    return running.at_least(heaviest) + (overhead or Amounts())

"""What a node can really use: capacity less what it keeps for itself, less its daemon workloads.

``allocatable = capacity - kubelet - system - hard eviction threshold``; eviction does not touch CPU, and a
share is taken of the capacity. Source: documentation "Reserve Compute Resources for System Daemons" (rule and
worked example from memory). Stepped shares (so much of the first GiB, less of the next) and amounts per pod
are common practice of platforms, no source.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field

from rombel.errors import refuse
from rombel.model.pod import Amounts

WHOLE = 10_000
"""Basis points of the whole."""


@dataclass(frozen=True, slots=True)
class Slice:
    """A share of the next slice of capacity: ``width`` of it (None: all the rest), in basis points."""

    width: int | None
    basis_points: int


def stepped(capacity: int, slices: Sequence[Slice]) -> int:
    """Return what the slices take of a capacity, each part rounded up."""
    kept, left = 0, capacity
    for part in slices:
        # Each slice takes its share of what is left of the capacity.
        width = left if part.width is None else min(left, part.width)
        # Minus signs turn floor division into rounding up, for whole numbers of any size.
        kept -= -width * part.basis_points // WHOLE
        left -= width
    return kept


@dataclass(frozen=True, slots=True)
class ReservationRule:
    """What every node keeps back before a pod may land on it.

    Parameters
    ----------
    kubelet, system
        Fixed amounts for the node agent and the operating system.
    eviction_memory_bytes, eviction_memory_basis_points
        Hard eviction threshold of memory: an amount, and a share of the capacity on top.
    cpu_slices, memory_slices
        Shares of each slice of millicores and of bytes.
    per_pod
        Kept for each pod that the node may run.

    """

    kubelet: Amounts = field(default_factory=lambda: Amounts(60, 256 * 2**20))
    system: Amounts = field(default_factory=lambda: Amounts(40, 128 * 2**20))
    eviction_memory_bytes: int = 100 * 2**20
    eviction_memory_basis_points: int = 0
    cpu_slices: tuple[Slice, ...] = ()
    memory_slices: tuple[Slice, ...] = ()
    per_pod: Amounts = field(default_factory=Amounts)


@dataclass(frozen=True, slots=True)
class Step:
    """One fall of the waterfall: who takes it, of which kind, how much, how many pods."""

    name: str
    kind: str
    taken: Amounts
    pods: int = 0


@dataclass(frozen=True, slots=True)
class Waterfall:
    """From capacity to usable; amounts left may be negative, which says that the node cannot serve.

    Parameters
    ----------
    capacity, most_pods
        What the node has.
    steps
        What is taken, in order: reservation first (kind ``keeps``), daemon workloads after (kind ``daemon``).

    """

    capacity: Amounts
    most_pods: int
    steps: tuple[Step, ...]

    @property
    def allocatable(self) -> tuple[int, int, int]:
        """Return millicores, bytes and pods that remain once the node has kept its own."""
        return self._after("keeps")

    @property
    def usable(self) -> tuple[int, int, int]:
        """Return what remains once its daemon workloads run too."""
        return self._after("keeps", "daemon")

    def _after(self, *kinds: str) -> tuple[int, int, int]:
        cpu, memory, pods = self.capacity.cpu_millicores, self.capacity.memory_bytes, self.most_pods
        for step in self.steps:
            if step.kind in kinds:
                cpu, memory, pods = (
                    cpu - step.taken.cpu_millicores,
                    memory - step.taken.memory_bytes,
                    pods - step.pods,
                )
        return cpu, memory, pods


def waterfall(
    capacity: Amounts, most_pods: int, rule: ReservationRule, daemons: Sequence[tuple[str, Amounts]] = ()
) -> Waterfall:
    """Return what a node of this capacity keeps, step by step.

    Parameters
    ----------
    capacity, most_pods
        What the instance type has, and the most pods that may run on it.
    rule
        What it keeps for itself.
    daemons
        Name and request of every daemon workload that lands on it; each is a pod.

    """
    # What takes nothing is no step of the picture.
    keeps = tuple(step for step in _keeps(capacity, most_pods, rule) if step.taken != Amounts())
    runs = tuple(Step(name, "daemon", request, 1) for name, request in daemons)
    return Waterfall(capacity, most_pods, keeps + runs)


def _keeps(capacity: Amounts, most_pods: int, rule: ReservationRule) -> Iterator[Step]:
    yield Step("node agent", "keeps", rule.kubelet)
    yield Step("operating system", "keeps", rule.system)
    share = Amounts(
        stepped(capacity.cpu_millicores, rule.cpu_slices), stepped(capacity.memory_bytes, rule.memory_slices)
    )
    yield Step("share of capacity", "keeps", share)
    # Kept for as many pods as the node could run, not for those that do.
    per_pod = Amounts(rule.per_pod.cpu_millicores * most_pods, rule.per_pod.memory_bytes * most_pods)
    yield Step("kept per pod", "keeps", per_pod)
    eviction = stepped(capacity.memory_bytes, (Slice(None, rule.eviction_memory_basis_points),))
    yield Step("eviction threshold", "keeps", Amounts(0, rule.eviction_memory_bytes + eviction))


def allocatable(capacity: Amounts, rule: ReservationRule, path: str = "") -> Amounts:
    """Return the amounts that pods may request on a node of this capacity.

    Raises
    ------
    InputRefused
        When the node keeps more than it has.

    """
    cpu, memory, _ = waterfall(capacity, 0, rule).allocatable
    if cpu <= 0 or memory <= 0:
        raise refuse(
            "node.reservation", path, "The node keeps more for itself than it has.", "Lower the reservation rule."
        )
    return Amounts(cpu, memory)

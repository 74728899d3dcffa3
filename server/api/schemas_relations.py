"""What hangs together with a workload, as it is sent."""

from __future__ import annotations

from api.answer import Answer


class InJourneyOut(Answer):
    """A workload's place in a journey."""

    journey: str
    target: str
    before: list[str]
    behind: list[str]
    is_down_without: bool


class BesideOut(Answer):
    """Replicas of another workload on the same node."""

    workload: str
    replicas: int


class StandsOnOut(Answer):
    """A node with replicas of a workload, and what else stands on it."""

    node: int
    instance_type: str
    purchase: str
    zone: str
    replicas: int
    beside: list[BesideOut]


class FlowOut(Answer):
    """What goes from one workload to another in a month."""

    workload: str
    size_bytes: int


class SharedOut(Answer):
    """How many nodes are shared with another workload."""

    workload: str
    nodes: int


class RelationsOut(Answer):
    """What hangs together with a workload, and what its loss takes along."""

    name: str
    journeys: list[InJourneyOut]
    sends: list[FlowOut]
    gets: list[FlowOut]
    together: list[str]
    apart: list[str]
    volumes: list[str]
    budget: str
    scales: str
    nodes: list[StandsOnOut]
    shares: list[SharedOut]
    goes_along: list[str]

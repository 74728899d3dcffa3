"""From promise to replicas: how long workloads, journeys and the control plane are down over a real placement."""

from rombel.availability.journeys import Evaluation, JourneyResult, Loss, evaluate
from rombel.availability.placing import needed_of, placement_of
from rombel.availability.quorum import Plane
from rombel.model.placement import PlacedNode, PlacedWorkload, Placement

__all__ = [
    "Evaluation",
    "JourneyResult",
    "Loss",
    "Placement",
    "Plane",
    "PlacedWorkload",
    "PlacedNode",
    "evaluate",
    "needed_of",
    "placement_of",
]

"""From promise to replicas: how long workloads, journeys and the control plane are away over a real placement."""

from rombel.availability.journeys import Evaluation, JourneyResult, Loss, evaluate
from rombel.availability.quorum import Plane
from rombel.availability.standing import needed_of, placement_of
from rombel.model.placement import Placement, Standing, StandingNode

__all__ = [
    "Evaluation",
    "JourneyResult",
    "Loss",
    "Placement",
    "Plane",
    "Standing",
    "StandingNode",
    "evaluate",
    "needed_of",
    "placement_of",
]

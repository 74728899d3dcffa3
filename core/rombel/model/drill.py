"""Drills: what is broken or changed on purpose, in which order, and what a plan's own files do not say of how a cluster behaves."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import StrEnum

from rombel.model.demand import Budget
from rombel.model.fit_problem import OfferKey
from rombel.model.journey import Dependency, Journey


class DrillKind(StrEnum):
    """What a step of a drill does."""

    NODES = "nodes"
    ZONE = "zone"
    REGION = "region"
    MEMBERS = "members"
    DEPENDENCY = "dependency"
    STOCK = "stock"
    INTERRUPTION = "interruption"
    SHRINK = "shrink"
    GROW = "grow"
    EVEN = "even"
    VERSION = "version"
    RETYPE = "retype"
    RETIRE = "retire"


class Mark(StrEnum):
    """What a drill showed.

    ``HELD``: all came back as planned and no journey was down. ``STRAINED``: something waited for room, or a journey was down, and came
    back inside its budget. ``BROKEN``: something did not come back, was held up for good, or used more than its budget.
    """

    HELD = "held"
    STRAINED = "strained"
    BROKEN = "broken"


@dataclass(frozen=True, slots=True)
class DrillStep:
    """One thing that happens in a drill; fields that its kind has no use for stay as they are.

    Parameters
    ----------
    kind
        What happens.
    at_s
        Seconds from the start of the drill, or from the end of the step named by ``after``; 0 or more.
    name, after
        Its own name, and that of the step that it waits for.
    zone, dependency
        What is lost, or out of stock.
    count
        Nodes or members lost; nodes that a pool has afterwards.
    instance_type, purchase, to_type
        A pool; for *retype* the type that its nodes get.
    share
        Part of the interruptible nodes that is taken back, 0 to 1; for *even*, how much fuller the fullest node may be than the emptiest.
    minors
        Minor versions that a roll goes up; one at a time.
    control_plane_only
        Whether a roll leaves the nodes as they are; a later roll takes them up to the control plane's version at once.
    lasts_s
        After so long what was lost is back; None: it does not come back while the drill is played.
    worst
        Whether the nodes lost are those whose loss hurts most; else the first ones.
    chosen
        Numbers of the nodes that are lost, counted after expanding the solution's groups; empty: as ``worst`` says.

    """

    kind: DrillKind
    at_s: float = 0.0
    name: str = ""
    after: str = ""
    zone: str = ""
    dependency: str = ""
    count: int = 1
    instance_type: str = ""
    purchase: str = "on-demand"
    to_type: str = ""
    share: float = 1.0
    minors: int = 1
    control_plane_only: bool = False
    lasts_s: float | None = None
    worst: bool = True
    chosen: tuple[int, ...] = ()


@dataclass(frozen=True, slots=True)
class Drill:
    """Steps under a name; ``promised`` says whether the plan promises to survive it."""

    name: str
    steps: tuple[DrillStep, ...]
    promised: bool = False


@dataclass(frozen=True, slots=True)
class Behaviour:
    """How the replicas of a workload behave.

    Parameters
    ----------
    needed
        Replicas that must serve; None: those that a loss must leave, else all.
    start_up_s
        From placed to serving.
    toleration_s
        How long a replica stays bound to a node that is not ready; None: as the timing says.
    budget
        Of voluntary disruptions; None: none is stated, and any number may be taken down at once.
    priority
        Higher ones are placed first and may displace lower ones.
    resync_s
        From serving until its copies are whole again; 0: nothing is copied.

    """

    needed: int | None = None
    start_up_s: float = 30.0
    toleration_s: float | None = None
    budget: Budget | None = None
    priority: int = 0
    resync_s: float = 0.0


@dataclass(frozen=True, slots=True)
class Timing:
    """How long things take.

    Parameters
    ----------
    detect_s, evict_s, place_s
        Until a lost node counts as not ready, until its replicas are given up, and until new ones are placed.
    node_start_s, node_start_p95_s
        Median of a node's start, and the time that one in twenty exceeds (lognormal); None: it is always the median.
    surge
        Nodes that a change of nodes adds to a pool in a zone before it takes one away.
    control_plane_s, new_pool_s, new_cluster_s
        A step of the control plane's version or a new member (about ten minutes), the first node of a new pool (about seven), a
        whole cluster (18 to 45): common practice, no source.

    """

    detect_s: float = 40.0
    evict_s: float = 300.0
    place_s: float = 5.0
    node_start_s: float = 180.0
    node_start_p95_s: float | None = None
    surge: int = 1
    control_plane_s: float = 600.0
    new_pool_s: float = 420.0
    new_cluster_s: float = 1800.0


@dataclass(frozen=True, slots=True)
class DrillBook:
    """Drills with all that they are played by beside problem and solution.

    Parameters
    ----------
    drills
        In the order in which they are played and told.
    timing, behaviours
        How long things take, and by workload how its replicas behave; a workload that is not named behaves by the defaults.
    members
        Control-plane members by zone; empty: it is not looked at.
    dependencies, journeys
        What is needed from outside, and what users do.
    maxima
        Most nodes of an offer that autoscaling may reach; an offer that is not named gets no node but those that a fit plans for a loss.

    """

    drills: tuple[Drill, ...] = ()
    timing: Timing = field(default_factory=Timing)
    behaviours: Mapping[str, Behaviour] = field(default_factory=dict)
    members: Mapping[str, int] = field(default_factory=dict)
    dependencies: tuple[Dependency, ...] = ()
    journeys: tuple[Journey, ...] = ()
    maxima: Mapping[OfferKey, int] = field(default_factory=dict)

    def behaviour_of(self, workload: str) -> Behaviour:
        """Return how a workload behaves."""
        return self.behaviours.get(workload, DEFAULT)


DEFAULT = Behaviour()
"""Of a workload that nothing is stated of."""

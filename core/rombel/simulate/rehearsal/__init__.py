"""Rehearsals: demand played through time against the limits of a plan, with real delays."""

from rombel.simulate.rehearsal.limits import LimitFound, Planned, Promise, Sufficing, Trial
from rombel.simulate.rehearsal.outcome import (
    MomentWorthALook,
    PoolOutcome,
    RehearsalOutcome,
    Standing,
    StandingNode,
    WorkloadOutcome,
)
from rombel.simulate.rehearsal.playing import rehearse, standing_at
from rombel.simulate.rehearsal.rising import Rise, rise_within
from rombel.simulate.rehearsal.sufficing import ceilings_of, limits_that_hold

__all__ = [
    "LimitFound",
    "MomentWorthALook",
    "Planned",
    "PoolOutcome",
    "Promise",
    "RehearsalOutcome",
    "Rise",
    "Standing",
    "StandingNode",
    "Sufficing",
    "Trial",
    "WorkloadOutcome",
    "ceilings_of",
    "limits_that_hold",
    "rehearse",
    "rise_within",
    "standing_at",
]

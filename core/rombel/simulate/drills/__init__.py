"""The kinds of steps that drills are made of: one file each, all of them under one contract."""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType

from rombel.model.drill import DrillKind
from rombel.simulate.drills._contract import StepKind
from rombel.simulate.drills.dependency import LoseDependency
from rombel.simulate.drills.even import EvenOut
from rombel.simulate.drills.grow import Grow
from rombel.simulate.drills.interruption import Interruption
from rombel.simulate.drills.members import LoseMembers
from rombel.simulate.drills.nodes import LoseNodes
from rombel.simulate.drills.region import LoseRegion
from rombel.simulate.drills.retire import Retire
from rombel.simulate.drills.retype import Retype
from rombel.simulate.drills.shrink import Shrink
from rombel.simulate.drills.stock import OutOfStock
from rombel.simulate.drills.version import RollVersion
from rombel.simulate.drills.zone import LoseZone

KINDS: Mapping[DrillKind, StepKind] = MappingProxyType(
    {
        entry.kind: entry
        for entry in (
            LoseNodes(),
            LoseZone(),
            LoseRegion(),
            LoseMembers(),
            LoseDependency(),
            OutOfStock(),
            Interruption(),
            Shrink(),
            Grow(),
            EvenOut(),
            RollVersion(),
            Retype(),
            Retire(),
        )
    }
)

__all__ = ["KINDS", "StepKind"]

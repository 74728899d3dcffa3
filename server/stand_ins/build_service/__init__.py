"""A made-up provider's build service: it builds what neutral JSON states, takes its time, runs into limits, and forgets nothing."""

from stand_ins.build_service.account import Account
from stand_ins.build_service.app import BuildServiceStandIn
from stand_ins.build_service.keeping import Kept

__all__ = ["Account", "BuildServiceStandIn", "Kept"]

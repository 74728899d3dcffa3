"""Ranges of addresses: what a plan needs, where it fits, and how many nodes it allows."""

from rombel.addressing.allocation import FreeSpace
from rombel.addressing.needs import Addresses, Pods, RegionNeed, Role, Want, ZoneNeed, wants_of
from rombel.addressing.plan import AddressPlan, Ceiling, PlannedRange, address_plan, statement_faults
from rombel.addressing.reading import Network, Used, overlaps, read_range, read_used, standard_of
from rombel.addressing.sizes import pod_block, power_of_two, prefix_for, static_band
from rombel.addressing.today import Change, TodayCheck, TodayRange, check_today

__all__ = [
    "AddressPlan",
    "Addresses",
    "Ceiling",
    "Change",
    "FreeSpace",
    "Network",
    "PlannedRange",
    "Pods",
    "RegionNeed",
    "Role",
    "TodayCheck",
    "TodayRange",
    "Used",
    "Want",
    "ZoneNeed",
    "address_plan",
    "check_today",
    "overlaps",
    "pod_block",
    "power_of_two",
    "prefix_for",
    "read_range",
    "read_used",
    "standard_of",
    "statement_faults",
    "static_band",
    "wants_of",
]

"""Questions asked of a fit: what each promise costs, why no other type, what conflicts, what other levels need, which steps lead there."""

from rombel.inquiry.alternatives import Alternative, Alternatives, AlternativeStatus, alternatives
from rombel.inquiry.conflicts import Conflict, conflict
from rombel.inquiry.frontier_points import FrontierPoint, frontier_point, undominated_points
from rombel.inquiry.levels import Design, PoolLimit, design
from rombel.inquiry.migration_plan import MigrationPlan, Move, Step, migration_plan
from rombel.inquiry.per_use import PerUseChoice, PerUsePlan, per_use_plan, with_per_use
from rombel.inquiry.promises import PromisePrice, price_promises
from rombel.inquiry.regions import RegionInput, RegionPlan, region_plans
from rombel.inquiry.rehearsal_files import demand_csv, settings_of
from rombel.inquiry.rehearsing import Around, Scenario, ranges_around, rehearsal_of
from rombel.inquiry.rules import Rule, rules_apart, rules_of
from rombel.inquiry.size_then_fit import KnownFit, SizedFit, World, candidates_of, size_then_fit

__all__ = [
    "Around",
    "demand_csv",
    "settings_of",
    "Scenario",
    "ranges_around",
    "rehearsal_of",
    "PerUseChoice",
    "PerUsePlan",
    "per_use_plan",
    "with_per_use",
    "Conflict",
    "FrontierPoint",
    "KnownFit",
    "RegionInput",
    "RegionPlan",
    "SizedFit",
    "World",
    "candidates_of",
    "frontier_point",
    "region_plans",
    "size_then_fit",
    "Design",
    "Move",
    "PoolLimit",
    "PromisePrice",
    "MigrationPlan",
    "Rule",
    "AlternativeStatus",
    "Alternatives",
    "Step",
    "Alternative",
    "conflict",
    "design",
    "price_promises",
    "migration_plan",
    "rules_apart",
    "rules_of",
    "alternatives",
    "undominated_points",
]

"""Questions asked of a fit: what each promise costs, why no other type, what conflicts, what other levels need, which steps lead there."""

from rombel.inquiry.alternatives import Alternative, Alternatives, AlternativeStatus, alternatives
from rombel.inquiry.conflicts import Conflict, conflict
from rombel.inquiry.frontier_points import FrontierPoint, frontier_point, undominated_points
from rombel.inquiry.levels import Design, PoolLimit, design
from rombel.inquiry.migration_plan import MigrationPlan, Move, Step, migration_plan
from rombel.inquiry.per_use import PerUseChoice, PerUsePlan, Use, per_use_plan, with_per_use
from rombel.inquiry.promises import PromisePrice, price_promises
from rombel.inquiry.regions import RegionInput, RegionPlan, region_plans
from rombel.inquiry.rehearsal_files import demand_csv, settings_of
from rombel.inquiry.rehearsing import Around, Scenario, ranges_around, rehearsal_of
from rombel.inquiry.relations import Relations, relations
from rombel.inquiry.rules import Rule, rules_apart, rules_of
from rombel.inquiry.size_then_fit import KnownFit, SizedFit, World, candidates_of, size_then_fit
from rombel.inquiry.ways import Way, WayPlan, ways

__all__ = [
    "Alternative",
    "AlternativeStatus",
    "Alternatives",
    "Around",
    "Conflict",
    "Design",
    "FrontierPoint",
    "KnownFit",
    "MigrationPlan",
    "Move",
    "PerUseChoice",
    "PerUsePlan",
    "PoolLimit",
    "PromisePrice",
    "RegionInput",
    "RegionPlan",
    "Relations",
    "Rule",
    "Scenario",
    "SizedFit",
    "Step",
    "Use",
    "Way",
    "WayPlan",
    "World",
    "alternatives",
    "candidates_of",
    "conflict",
    "demand_csv",
    "design",
    "frontier_point",
    "migration_plan",
    "per_use_plan",
    "price_promises",
    "ranges_around",
    "region_plans",
    "rehearsal_of",
    "relations",
    "rules_apart",
    "rules_of",
    "settings_of",
    "size_then_fit",
    "undominated_points",
    "ways",
    "with_per_use",
]

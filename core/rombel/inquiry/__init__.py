"""Questions asked of a fit: what each promise costs, why no other type, what conflicts, what other levels need, which steps lead there."""

from rombel.inquiry.conflicts import Conflict, conflict
from rombel.inquiry.frontier_points import FrontierPoint, frontier_point, undominated_points
from rombel.inquiry.levels import Design, PoolLimit, design
from rombel.inquiry.promises import PromisePrice, price_promises
from rombel.inquiry.regions import RegionGiven, RegionWay, region_ways
from rombel.inquiry.rules import Rule, rules_apart, rules_of
from rombel.inquiry.sized import KnownFit, SizedFit, World, candidates_of, size_and_fit
from rombel.inquiry.standing import Standing, Standings, TypeStanding, standings
from rombel.inquiry.steps import Move, Road, Step, road_from

__all__ = [
    "Conflict",
    "FrontierPoint",
    "KnownFit",
    "RegionGiven",
    "RegionWay",
    "SizedFit",
    "World",
    "candidates_of",
    "frontier_point",
    "region_ways",
    "size_and_fit",
    "Design",
    "Move",
    "PoolLimit",
    "PromisePrice",
    "Road",
    "Rule",
    "Standing",
    "Standings",
    "Step",
    "TypeStanding",
    "conflict",
    "design",
    "price_promises",
    "road_from",
    "rules_apart",
    "rules_of",
    "standings",
    "undominated_points",
]

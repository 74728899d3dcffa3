"""What was measured: series, percentiles, proposals for requests, peaks that coincide or not, and growth."""

from rombel.usage.assembling import Assembled, assemble
from rombel.usage.coincidence import Coincidence, coincide
from rombel.usage.events import PlannedEvent
from rombel.usage.growth import Forecast, GrowthParams, Trend, forecast, reached_on
from rombel.usage.lead import Rise, rise_within
from rombel.usage.levels import LevelLoads, level_loads
from rombel.usage.percentile import Definition, percentile
from rombel.usage.rightsizing import Proposal, SizingPolicy, propose
from rombel.usage.series import Series, increases, regular
from rombel.usage.shapes import Need, Shape, read_shape
from rombel.usage.workload_usage import WorkloadUsage, gather

__all__ = [
    "Assembled",
    "Trend",
    "assemble",
    "Coincidence",
    "Definition",
    "Forecast",
    "GrowthParams",
    "LevelLoads",
    "PlannedEvent",
    "Need",
    "Proposal",
    "Shape",
    "Rise",
    "Series",
    "SizingPolicy",
    "WorkloadUsage",
    "coincide",
    "forecast",
    "gather",
    "increases",
    "level_loads",
    "percentile",
    "propose",
    "reached_on",
    "read_shape",
    "regular",
    "rise_within",
]

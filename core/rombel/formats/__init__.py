"""Reading and writing open formats."""

from rombel.formats._json import schema_text
from rombel.formats.demand_csv import CSV_COLUMNS, read_demand_csv, write_demand_csv
from rombel.formats.manifests import read_manifests
from rombel.formats.problem_json import problem_value, read_problem, write_problem
from rombel.formats.reading import DemandReading, Ignored
from rombel.formats.solution_json import read_solution, solution_of, solution_value, write_solution
from rombel.formats.tables import write_placement_csv, write_pools_csv

__all__ = [
    "CSV_COLUMNS",
    "DemandReading",
    "Ignored",
    "problem_value",
    "read_demand_csv",
    "read_manifests",
    "read_problem",
    "read_solution",
    "schema_text",
    "solution_of",
    "solution_value",
    "write_demand_csv",
    "write_placement_csv",
    "write_pools_csv",
    "write_problem",
    "write_solution",
]

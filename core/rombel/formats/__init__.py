"""Reading and writing open formats."""

from rombel.formats._json import schema_text
from rombel.formats.demand_csv import CSV_COLUMNS, read_demand_csv, show_labels, write_demand_csv
from rombel.formats.manifests import read_manifests
from rombel.formats.offers_csv import OFFER_COLUMNS, read_offers_csv, write_offers_csv
from rombel.formats.price_list_json import (
    check_price_list,
    price_list_of,
    price_list_value,
    read_price_list,
    write_price_list,
)
from rombel.formats.problem_json import problem_value, read_problem, write_problem
from rombel.formats.reading import DemandReading, Ignored
from rombel.formats.solution_json import read_solution, solution_of, solution_value, write_solution
from rombel.formats.tables import write_placement_csv, write_pools_csv

__all__ = [
    "CSV_COLUMNS",
    "DemandReading",
    "check_price_list",
    "Ignored",
    "OFFER_COLUMNS",
    "price_list_of",
    "price_list_value",
    "problem_value",
    "read_demand_csv",
    "read_manifests",
    "read_offers_csv",
    "read_price_list",
    "read_problem",
    "read_solution",
    "schema_text",
    "show_labels",
    "solution_of",
    "solution_value",
    "write_demand_csv",
    "write_offers_csv",
    "write_placement_csv",
    "write_pools_csv",
    "write_price_list",
    "write_problem",
    "write_solution",
]

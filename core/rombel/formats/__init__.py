"""Reading and writing open formats."""

from rombel.formats._json import schema_text
from rombel.formats.compose import read_compose
from rombel.formats.cost_data_csv import COST_COLUMNS, read_cost_data, write_cost_data
from rombel.formats.demand_columns import (
    CSV_COLUMNS,
    cell_as_typed,
    cells_as_typed,
    cells_of,
    read_demand_cells,
    show_labels,
)
from rombel.formats.demand_csv import Headings, Mapped, read_demand_csv, read_headings, write_demand_csv
from rombel.formats.drill_book_json import (
    drill_book_of,
    drill_book_value,
    drill_of,
    drill_value,
    read_drill_book,
    write_drill_book,
)
from rombel.formats.manifests import read_manifests
from rombel.formats.offers_csv import OFFER_COLUMNS, read_offers_csv, write_offers_csv
from rombel.formats.openmetrics import read_openmetrics
from rombel.formats.price_list_json import (
    check_price_list,
    price_list_of,
    price_list_value,
    read_price_list,
    write_price_list,
)
from rombel.formats.problem_json import problem_value, read_problem, write_problem
from rombel.formats.range_query import read_range_query
from rombel.formats.reading import DemandReading, Ignored, Understood
from rombel.formats.rehearsal_json import RehearsalSettings, WorkloadSettings, read_rehearsal, write_rehearsal
from rombel.formats.solution_json import read_solution, solution_of, solution_value, write_solution
from rombel.formats.study_json import EXPORT_AGAIN, faults_at, read_study_file, within
from rombel.formats.study_json import FORMAT as STUDY_FORMAT
from rombel.formats.tables import write_limits_csv, write_placement_csv, write_pools_csv, write_sweep_csv
from rombel.formats.usage_csv import read_usage_csv
from rombel.formats.usage_text import UsageReading, usage_size_fault

__all__ = [
    "COST_COLUMNS",
    "read_cost_data",
    "write_cost_data",
    "CSV_COLUMNS",
    "drill_book_of",
    "drill_book_value",
    "drill_of",
    "drill_value",
    "read_drill_book",
    "write_drill_book",
    "DemandReading",
    "Headings",
    "Mapped",
    "Understood",
    "UsageReading",
    "read_openmetrics",
    "read_range_query",
    "read_usage_csv",
    "usage_size_fault",
    "cell_as_typed",
    "cells_as_typed",
    "cells_of",
    "read_compose",
    "read_demand_cells",
    "read_headings",
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
    "RehearsalSettings",
    "WorkloadSettings",
    "read_rehearsal",
    "write_rehearsal",
    "read_solution",
    "schema_text",
    "show_labels",
    "solution_of",
    "solution_value",
    "write_demand_csv",
    "write_offers_csv",
    "write_limits_csv",
    "write_placement_csv",
    "write_pools_csv",
    "write_price_list",
    "write_problem",
    "write_solution",
    "write_sweep_csv",
    "STUDY_FORMAT",
    "EXPORT_AGAIN",
    "faults_at",
    "read_study_file",
    "within",
]

"""The files a fit is handed over as."""

from __future__ import annotations

import json
from enum import StrEnum

from django.utils.text import slugify

from rombel.formats import (
    read_problem,
    read_solution,
    schema_text,
    write_placement_csv,
    write_pools_csv,
)
from runs.models import Fit


class HandoverFile(StrEnum):
    """What can be handed over."""

    PROBLEM = "problem.json"
    SOLUTION = "solution.json"
    PROBLEM_SCHEMA = "problem.schema.json"
    SOLUTION_SCHEMA = "solution.schema.json"
    POOLS = "pools.csv"
    PLACEMENT = "placement.csv"


def handover_file(fit: Fit, name: HandoverFile) -> tuple[str, str, str]:
    """Return the text, its media type and a file name."""
    problem, solution = read_problem(fit.problem), read_solution(fit.solution)
    texts = {
        HandoverFile.PROBLEM: lambda: fit.problem,
        HandoverFile.SOLUTION: lambda: fit.solution,
        HandoverFile.PROBLEM_SCHEMA: lambda: json.dumps(json.loads(schema_text("fit-problem-1")), indent=1),
        HandoverFile.SOLUTION_SCHEMA: lambda: json.dumps(json.loads(schema_text("fit-solution-1")), indent=1),
        HandoverFile.POOLS: lambda: write_pools_csv(problem, solution),
        HandoverFile.PLACEMENT: lambda: write_placement_csv(solution),
    }
    kind = "application/json" if name.value.endswith("json") else "text/csv; charset=utf-8"
    stem = slugify(f"{fit.variant.study.name} {fit.variant.name}")
    return texts[name](), kind, f"{stem}-fit-{fit.pk}-{name.value}"

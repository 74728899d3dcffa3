"""The files of a sweep: its points as a table, and the problem of each."""

from __future__ import annotations

from django.utils.text import slugify

from accounts.action import Missing
from handover.files import CSV
from rombel.formats import write_problem, write_sweep_csv
from rombel.plan import problem_at
from rombel.sweep import Choice
from sweeps.adapt import base_key, base_numbered, plan_of
from sweeps.models import Sweep
from sweeps.results import Results


def sweep_file(results: Results) -> tuple[str, str, str]:
    """Return the points of a sweep as text, its media type and a file name."""
    plan, sweep = results.plan, results.sweep
    unknown = (*plan.grid, *plan.drawn)
    rows = (
        [
            each.number,
            *each.point.chosen.values(),
            *(each.point.brings[name] for name in unknown),
            each.row.status,
            "" if each.cost is None else each.cost,
            "" if each.floor is None else each.floor,
            sweep.currency,
            each.nodes,
            " ".join(f"{count}x{name}/{purchase}/{zone}" for name, purchase, zone, count in each.row.nodes),
            each.row.reason,
            each.row.digest,
        ]
        for each in results.points
    )
    about = {"study": sweep.study.name, "sweep": str(sweep.pk), "sentence": sweep.sentence}
    names = [*map(str, plan.choices), *(f"{name}_percent".replace(" ", "_") for name in unknown)]
    return write_sweep_csv(names, rows, about), CSV, f"{slugify(sweep.study.name)}-sweep-{sweep.pk}.csv"


def point_problem_file(sweep: Sweep, number: int) -> tuple[str, str, str]:
    """Return the problem of a point as text, its media type and a file name; ``Missing`` where there is none."""
    plan = plan_of(sweep.plan)
    if not 0 <= number < plan.size:
        raise Missing(f"Sweep {sweep.pk} has no point {number}.")
    point = plan.point(number)
    variant, region = base_key(point)
    given = base_numbered(sweep.bases.values_list("pk", flat=True).get(variant_name=variant, region=region))
    if given is None:
        raise Missing(f"Point {number} has no problem: '{point.chosen[Choice.VARIANT]}' makes none.")
    text = write_problem(problem_at(given.supply, given.targets, given.rows, point))
    return text, "application/json", f"{slugify(sweep.study.name)}-sweep-{sweep.pk}-point-{number}-problem.json"

"""What the worker answers to questions about journeys; shares of time are given as minutes of a budget month."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import asdict, replace
from decimal import Decimal
from typing import Any

from rombel.availability.obstacles import Obstacles
from rombel.availability.options import Candidate
from rombel.availability.regions import Across
from rombel.fit import FitObserver, Progress
from rombel.formats import read_problem, read_solution, write_solution
from rombel.inquiry import (
    FrontierPoint,
    KnownFit,
    RegionGiven,
    RegionWay,
    SizedFit,
    World,
    candidates_of,
    frontier_point,
    region_ways,
    size_and_fit,
    undominated_points,
)
from rombel.model.demand import Size
from rombel.model.failure import MINUTES_PER_YEAR
from rombel.model.failure import budget_minutes as minutes
from rombel.model.failure import share_of_minutes as share_of
from rombel.model.quantity import HOURS_PER_MONTH
from rombel.simulate import OutageParams, play_outages
from runs.availability import unpacked
from runs.beyond import times_of
from studies.adapt import sizes_of

Given = dict[str, Any]
Answer = dict[str, Any]
Keep = Callable[[Answer], None]

YEARS = 400
"""Played by one simulation, in batches."""


def month(per_hour: Decimal | float) -> str:
    """Return an amount an hour as an amount a month."""
    return format(Decimal(per_hour) * HOURS_PER_MONTH, ".2f")


def sizing(given: Given, observer: FitObserver, keep: Keep) -> Answer:
    """Return sizes for every journey's target, and the fit that they lead to."""
    problem, solution, world = (
        read_problem(given["problem"]),
        read_solution(given["solution"]),
        unpacked(given["world"]),
    )
    world = replace(world, journeys=[journey for journey in world.journeys if journey.target > 0])
    candidates = candidates_of(problem, solution, world)
    observer.on_progress(Progress("sizing", 0.05, Decimal(0), Decimal(0)))
    elsewhere = [KnownFit(sizes_of(row["sizes"]), read_solution(row["solution"])) for row in given.get("known", ())]
    found = size_and_fit(problem, solution, world, candidates, known=elsewhere, observer=observer)
    feasible = bool(found.solution.nodes)
    return {
        "sizes": plain_sizes(found.sizes),
        "changed": _changed(found, world, candidates),
        "solution": write_solution(found.solution),
        "guessed": month(found.sizing.cost - found.sizing.before),
        "least": month(found.sizing.floor - found.sizing.before),
        "exact": found.sizing.exact,
        "fits": found.fits,
        "missed": list(found.missed),
        "cost": month(found.solution.cost_per_hour) if feasible else None,
        "cost_before": month(solution.cost_per_hour),
        "journeys": [
            {
                "name": j.name,
                "allowed": minutes(j.allowed),
                "away": minutes(found.away[j.name]) if j.name in found.away else None,
            }
            for j in world.journeys
        ],
        "obstacles": [_obstacle(entry) for entry in found.obstacles],
        "reasons": list(found.solution.reasons[:6]),
    }


def _changed(found: SizedFit, world: World, candidates: Sequence[Candidate]) -> list[Answer]:
    """Return the workloads that are sized otherwise than they are."""
    rows, known = {row.full_name: row for row in world.rows}, {entry.name: entry for entry in candidates}
    changed = []
    for name, size in sorted(found.sizes.items()):
        row, most = rows[name], size.most_per_node
        thinner = most is not None and (row.most_per_node is None or most < row.most_per_node)
        if size.extra != row.extra or size.how is not known[name].at_least or thinner:
            changed.append(
                {
                    "workload": name,
                    "replicas": known[name].replicas,
                    "extra": size.extra,
                    "before": row.extra,
                    "how": str(size.how),
                    "how_before": str(known[name].at_least),
                    "most_per_node": most if thinner else None,
                }
            )
    return changed


def plain_sizes(sizes: Mapping[str, Size]) -> dict[str, dict[str, Any]]:
    """Return sizes as a variant keeps them."""
    return {
        name: {
            "extra": size.extra,
            "how": str(size.how),
            "most_per_node": size.most_per_node,
            "stands": dict(size.stands),
        }
        for name, size in sizes.items()
    }


def _obstacle(entry: Obstacles) -> dict[str, Any]:
    return {
        "journey": entry.journey,
        "least": minutes(entry.least),
        "allowed": minutes(entry.allowed),
        "reasons": list(entry.reasons),
        "ways_out": [{"words": way.words, "least": minutes(way.least), "mends": way.mends} for way in entry.ways_out],
    }


def one_point(given: Given, place: int, known: Mapping[str, Answer], observer: FitObserver) -> Answer | None:
    """Return one point of the frontier, found from the points known so far; None where it has no fit."""
    problem, solution, world = (
        read_problem(given["problem"]),
        read_solution(given["solution"]),
        unpacked(given["world"]),
    )
    points = [replace(_read_point(point), solution=read_solution(point["solution"])) for point in known.values()]
    found = frontier_point(place, problem, solution, world, known=points, observer=observer)
    return None if found is None else _point(found)


def points_shown(points: Mapping[str, Answer]) -> dict[str, Answer]:
    """Return the points that no other one makes needless, by place; none of their fits is read for that."""
    kept = {point.place for point in undominated_points(_read_point(point) for point in points.values())}
    return {place: point for place, point in points.items() if point["place"] in kept}


def _read_point(stored: Answer) -> FrontierPoint:
    away = {name: share_of(amount) for name, amount in stored["away"].items()}
    return FrontierPoint(
        stored["place"],
        Decimal(stored["cost"]) / HOURS_PER_MONTH,
        Decimal(stored["floor"]) / HOURS_PER_MONTH,
        away,
        stored["replicas"],
        sizes_of(stored["sizes"]),
        tuple(stored["gives_up"]),
    )


def _point(found: FrontierPoint) -> Answer:
    return {
        "solution": write_solution(found.solution) if found.solution else "",
        "gives_up": list(found.gives_up),
        "place": found.place,
        "cost": month(found.cost_per_hour),
        "floor": month(found.floor_per_hour),
        "away": {name: minutes(away) for name, away in found.away.items()},
        "replicas": found.replicas,
        "sizes": plain_sizes(found.sizes),
    }


def regions(given: Given, observer: FitObserver, keep: Keep) -> Answer:
    """Return the ways to work over regions, each with its cost and what its journeys are away."""
    world, times = unpacked(given["world"]), times_of(given["times"])
    own = RegionGiven(given["own"], read_problem(given["problem"]), read_solution(given["solution"]))
    others = [
        RegionGiven(entry["name"], read_problem(entry["problem"])) for entry in given["regions"] if entry["problem"]
    ]
    left_out = [f"{entry['name']}: {entry['reason']}" for entry in given["regions"] if entry["reason"]]
    answer: Answer = {"ways": [], "left_out": left_out, "times": asdict(times)}

    def on_way(way: RegionWay) -> None:
        answer["ways"].append(_way(way))
        keep(answer)

    region_ways([own, *others], world, times, observer=observer, on_way=on_way)
    return answer


def _way(way: RegionWay) -> Answer:
    return {
        "together": str(way.together),
        "regions": list(way.regions),
        "bears": list(way.bears),
        "cost": None if way.cost_per_hour is None else month(way.cost_per_hour),
        "journeys": {name: _across(found) for name, found in way.across.items()},
        "reasons": list(way.reasons),
    }


def _across(found: Across) -> Answer:
    return {
        "minutes": minutes(found.away),
        "minutes_year": found.away * MINUTES_PER_YEAR,
        "switches_per_year": found.switches_per_year,
        "lost_data_s_per_year": found.lost_data_s_per_year,
    }


def simulation(given: Given, observer: FitObserver, keep: Keep) -> Answer:
    """Return what played years show of every journey beside the exact figure."""
    problem, solution, world = (
        read_problem(given["problem"]),
        read_solution(given["solution"]),
        unpacked(given["world"]),
    )
    evaluation = world.evaluation(problem, solution)
    journeys = [entry for entry in world.journeys if not evaluation.missing(entry)]
    params = OutageParams(years_per_batch=YEARS / 20)

    def on_batch(done: int, whole: int) -> bool:
        words = f"{round(done * params.years_per_batch)} of {YEARS} years"
        return observer.on_progress(Progress(words, done / whole, Decimal(0), Decimal(0)))

    seen = play_outages(
        evaluation.placement, world.data, journeys, world.dependencies, params=params, on_batch=on_batch
    )
    rows: list[Answer] = []
    for journey in journeys:
        played, (exact, within) = seen[journey.name], evaluation.away_of(journey)
        rows.append(
            {
                "name": journey.name,
                "exact": minutes(exact),
                "mean": minutes(played.away.mean),
                "half_width": minutes(played.away.half_width) if played.away.half_width < 1 else None,
                "holds": played.away.holds(exact) or played.away.holds(exact - within),
                "outages_per_year": played.outages_per_year,
                "batches": played.away.batches,
            }
        )
    return {"years": (rows[0]["batches"] if rows else 0) * params.years_per_batch, "journeys": rows}

"""What the worker answers to each question: plain values, ready to be stored; money is by the month."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import asdict
from decimal import Decimal
from fractions import Fraction
from typing import Any

from measured.adapt import running_of
from measured.models import Listing
from rombel.fit import ChangeParams, FitObserver
from rombel.formats import read_problem, read_solution, write_solution
from rombel.inquiry import PromisePrice, Step, TypeStanding, conflict, design, price_promises, road_from, standings
from rombel.model.demand import Level
from rombel.model.fit_problem import FitProblem
from rombel.model.fit_solution import FitSolution
from rombel.model.present import present_in
from rombel.model.quantity import HOURS_PER_MONTH
from runs import promised
from runs.models import Question
from runs.promised import month

Given = dict[str, Any]
Answer = dict[str, Any]
Keep = Callable[[Answer], None]


def answer_of(question: Question, given: Given, observer: FitObserver, keep: Keep) -> Answer:
    """Return the answer; ``keep`` is given every part of it as soon as it is known."""
    return _ANSWERS[question](given, observer, keep)


def _promises(given: Given, observer: FitObserver, keep: Keep) -> Answer:
    problem, solution = read_problem(given["problem"]), read_solution(given["solution"])
    found = standings(read_problem(given["all_types"]), solution)
    units = {
        zone: {name: price * HOURS_PER_MONTH for name, price in row.items()} for zone, row in found.unit_prices.items()
    }
    prices = list(given.get("so_far", {}).get("prices", ()))
    answer: Answer = {"types": [_type(row) for row in found.types], "unit_prices": units, "prices": prices}
    keep(answer)

    def on_price(price: PromisePrice) -> None:
        answer["prices"].append(_price(price))
        answer["prices"].sort(key=lambda row: -Decimal(row["price"]))
        keep(answer)

    known = {row["key"] for row in prices}
    price_promises(problem, solution, known=known, observer=observer, on_price=on_price)
    return answer


def _type(row: TypeStanding) -> dict[str, Any]:
    return {
        **asdict(row),
        "price_per_hour": format(row.price_per_hour, "f"),
        "enters_at_per_hour": format(row.enters_at_per_hour, "f"),
    }


def _price(price: PromisePrice) -> dict[str, Any]:
    amounts = {
        "price": price.price_per_hour,
        "least": price.least_per_hour,
        "most": price.most_per_hour,
        "without": price.without_per_hour,
        "without_floor": price.without_floor_per_hour,
    }
    return {"key": price.key, "words": price.words, **{name: month(amount) for name, amount in amounts.items()}}


def _conflict(given: Given, observer: FitObserver, keep: Keep) -> Answer:
    found = conflict(read_problem(given["problem"]), observer=observer)
    return {
        "rules": [rule.words for rule in found.rules],
        "ways_out": [rule.words for rule in found.ways_out],
        "proved": found.proved,
    }


def _levels(given: Given, observer: FitObserver, keep: Keep) -> Answer:
    problems = {level: read_problem(given["problems"][level]) for level in Level}
    shares = {level: Fraction(given["shares"][level]) for level in Level}
    known = given.get("present")
    present = (Level(known["level"]), read_solution(known["solution"])) if known else None
    found = design(problems, shares, present=present, observer=observer)
    levels = [
        {
            "level": level,
            "share": float(shares[level]),
            "cost": month(solution.cost_per_hour),
            "nodes": sum(batch.count for batch in solution.nodes),
        }
        for level, solution in found.fits.items()
    ]
    return {
        "cost": month(found.cost_per_hour),
        "floor": month(found.floor_per_hour),
        "reasons": list(found.reasons),
        "levels": levels,
        "lead": _lead(given.get("rise"), problems, found.fits),
        "limits": [asdict(limit) for limit in found.limits],
        "solutions": {level: write_solution(solution) for level, solution in found.fits.items()},
    }


def _lead(
    rise: Mapping[str, float] | None, problems: Mapping[Level, FitProblem], fits: Mapping[Level, FitSolution]
) -> dict[str, float] | None:
    """Return the CPU to keep free while a node starts, beside what is free at the trough; None where nothing was measured."""
    if rise is None or not fits:
        return None
    asked = problems[Level.PEAK].workloads
    kept = rise["share"] * sum(w.replicas * w.request[0] for w in asked)
    return {**rise, "kept_millicores": kept, "free_millicores": _free_cpu(problems[Level.TROUGH], fits[Level.TROUGH])}


def _free_cpu(problem: FitProblem, solution: FitSolution) -> float:
    """Return the millicores that no replica requests, nor any that would land after the worst loss of a zone."""
    usable = {entry.name: problem.usable(entry)[0] for entry in problem.instance_types}
    request = {entry.name: entry.request[0] for entry in problem.workloads}
    free: dict[str, float] = dict.fromkeys(problem.zones, 0.0)
    for batch in solution.nodes:
        held = sum(request[name] * number for name, number in batch.replicas.items())
        free[batch.zone] += batch.count * (usable[batch.instance_type] - held)
    whole = sum(free.values())
    landing = {
        zone: sum(request[name] * number for entry in part for name, number in entry.replicas.items())
        for zone, part in (solution.landing or {}).items()
    }
    return min((whole - free[zone] - landed for zone, landed in landing.items()), default=whole)


def _steps(given: Given, observer: FitObserver, keep: Keep) -> Answer:
    problem = read_problem(given["problem"])
    per_move, per_node = (Decimal(given["toll"][name]) / HOURS_PER_MONTH for name in ("per_move", "per_node"))
    answer: Answer = {"toll": given["toll"], "steps": [], "cost": None, "broken": [], "unsold": [], "unplaced": {}}
    answer |= {"evening": None, "evenness": []}

    def on_step(step: Step) -> None:
        answer["steps"].append(_step(step))
        keep(answer)

    present = present_in(problem, running_of(Listing.objects.get(pk=given["listing"])))
    found = road_from(problem, present, params=ChangeParams(per_move, per_node), observer=observer, on_step=on_step)
    return answer | {
        "cost": month(found.cost_per_hour),
        "broken": list(found.broken),
        "unsold": list(found.unsold),
        "unplaced": found.unplaced,
        "evening": _step(found.evening) if found.evening else None,
        "evenness": [asdict(row) for row in found.evenness or ()],
    }


def _step(step: Step) -> dict[str, Any]:
    return {
        "saving": month(step.saving_per_hour),
        "cost": month(step.cost_per_hour),
        "new": [asdict(node) for node in step.new],
        "gone": [asdict(node) for node in step.gone],
        "moves": [asdict(move) for move in step.moves],
        "moved": step.moved,
        "broken": list(step.broken),
    }


_ANSWERS: dict[Question, Callable[[Given, FitObserver, Keep], Answer]] = {
    Question.PROMISES: _promises,
    Question.CONFLICT: _conflict,
    Question.LEVELS: _levels,
    Question.STEPS: _steps,
    Question.SIZING: promised.sizing,
    Question.REGIONS: promised.regions,
    Question.SIMULATION: promised.simulation,
}

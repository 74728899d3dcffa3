"""The files a fit is handed over as."""

from __future__ import annotations

import json
from dataclasses import asdict
from enum import StrEnum

from django.utils.text import slugify

from accounts.action import Missing
from rombel import __version__
from rombel.formats import (
    schema_text,
    write_drill_book,
    write_limits_csv,
    write_placement_csv,
    write_pools_csv,
    write_rehearsal,
    write_solution,
)
from rombel.inquiry import demand_csv, settings_of
from runs.answers import design_of
from runs.models import Fit, Inquiry, Question, Run
from runs.questions import QUESTIONS
from runs.questions.asking import Asked
from runs.questions.drills import book_of
from runs.questions.rehearsal import RehearsalGiven, Rehearsed, setting, stands_at_start
from runs.stored import stored_plan
from studies.models import Study, Variant


class HandoverFile(StrEnum):
    """What can be handed over."""

    PROBLEM = "problem.json"
    SOLUTION = "solution.json"
    PROBLEM_SCHEMA = "problem.schema.json"
    SOLUTION_SCHEMA = "solution.schema.json"
    DRILL_BOOK = "drill-book.json"
    DRILL_BOOK_SCHEMA = "drill-book.schema.json"
    POOLS = "pools.csv"
    PLACEMENT = "placement.csv"
    ABOUT = "about.json"


class RehearsalFile(StrEnum):
    """What a rehearsal is handed over as, to be played again anywhere."""

    SETTINGS = "rehearsal.json"
    DEMAND = "demand-through-time.csv"
    START = "start.json"
    SETTINGS_SCHEMA = "rehearsal.schema.json"


CSV = "text/csv; charset=utf-8"


def handover_file(fit: Fit, name: HandoverFile) -> tuple[str, str, str]:
    """Return the text, its media type and a file name."""
    problem, solution = stored_plan(fit)
    about = about_of(fit.variant) | {
        "fit": str(fit.pk),
        "computed_at": fit.created_at.isoformat(timespec="seconds"),
        "computed_for": shown_asker(fit.run),
        "version": fit.core_version,
    }
    # Each text is made only when it is asked for.
    texts = {
        HandoverFile.PROBLEM: lambda: fit.problem,
        HandoverFile.SOLUTION: lambda: fit.solution,
        HandoverFile.PROBLEM_SCHEMA: lambda: _schema("fit-problem-1"),
        HandoverFile.SOLUTION_SCHEMA: lambda: _schema("fit-solution-1"),
        HandoverFile.DRILL_BOOK: lambda: write_drill_book(book_of(fit)),
        HandoverFile.DRILL_BOOK_SCHEMA: lambda: _schema("drill-book-1"),
        HandoverFile.POOLS: lambda: write_pools_csv(problem, solution, about),
        HandoverFile.PLACEMENT: lambda: write_placement_csv(solution, about),
        HandoverFile.ABOUT: lambda: json.dumps(about, indent=1, ensure_ascii=False),
    }
    return texts[name](), _media_type(name), named(fit.variant, f"fit-{fit.pk}-{name.value}")


def named(variant: Variant, what: str) -> str:
    """Return what a file of a variant is called."""
    return f"{slugify(f'{variant.study.name} {variant.name}')}-{what}"


def _schema(name: str) -> str:
    return json.dumps(json.loads(schema_text(name)), indent=1)


def _media_type(name: str) -> str:
    return "application/json" if name.endswith("json") else CSV


def shown_asker(row: Run | Inquiry) -> str:
    """Return who asked for a run or an inquiry."""
    return "" if row.job.asked_by is None else row.job.asked_by.shown_name


def limits_file(inquiry: Inquiry) -> tuple[str, str, str]:
    """Return the autoscaling limits of a design as text, its media type and a file name."""
    about = about_of(inquiry.variant) | {
        "computed_at": inquiry.ended_at.isoformat(timespec="seconds"),
        "computed_for": shown_asker(inquiry),
        "version": __version__,
    }
    found = design_of(inquiry)
    text = write_limits_csv([] if found is None else [asdict(limit) for limit in found.limits], about)
    return text, CSV, named(inquiry.variant, f"levels-{inquiry.pk}-limits.csv")


def rehearsal_file(inquiry: Inquiry, name: RehearsalFile) -> tuple[str, str, str]:
    """Return a file of a rehearsal as text, its media type and a file name; ``Missing`` where the inquiry is another question."""
    if inquiry.question != Question.REHEARSAL:
        raise Missing(f"Inquiry {inquiry.pk} is no rehearsal.")
    asked: Asked[RehearsalGiven, Rehearsed] = QUESTIONS[Question.REHEARSAL].asked(inquiry.job)
    (problem, fitted), given = asked.fit, asked.given
    solution = stands_at_start(given, fitted)
    texts = {
        RehearsalFile.SETTINGS: lambda: write_rehearsal(settings_of(setting(given, problem, solution))),
        RehearsalFile.DEMAND: lambda: demand_csv(setting(given, problem, solution)),
        RehearsalFile.START: lambda: write_solution(solution),
        RehearsalFile.SETTINGS_SCHEMA: lambda: _schema("rehearsal-1"),
    }
    return texts[name](), _media_type(name), named(inquiry.variant, f"rehearsal-{inquiry.pk}-{name.value}")


def demand_file_name(study: Study) -> str:
    """Return what the demand sheet is called as a file."""
    return f"{slugify(study.name)}-demand.csv"


def about_of(variant: Variant) -> dict[str, str]:
    """Return where a file of a variant comes from: study, variant, price list and rates."""
    study, region = variant.study, variant.region
    about = {"study": study.name, "organisation": study.organisation, "variant": variant.name}
    if region is not None:
        about |= {
            "region": region.name,
            "price_list": region.edition.provider.name,
            "price_list_dated": region.edition.dated.isoformat(),
        }
    if region is not None and study.rates is not None and region.edition.currency != study.currency:
        about["rates_dated"] = study.rates.dated.isoformat()
    return about

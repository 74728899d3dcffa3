"""A year of an invented study: what was changed when and why, a plan that is signed, and one that waits to be.

Every plan is computed when the demo is loaded, with little effort: it is history, and its distance above the floor says so.
"""

from __future__ import annotations

import time
from dataclasses import dataclass, field, replace
from datetime import UTC, datetime
from typing import Any

from accounts.models import AuditEntry, User
from catalogue.models import RateSheet, Region
from demo.builds import built, changed_by_hand
from demo.demand import summer_demand
from inbox.models import Notice
from jobs.asking import done_job
from jobs.models import Job
from rombel.fit import FitParams, SearchParams, fit
from rombel.formats import write_problem
from rombel.model.demand import Sizing
from rombel.simulate.drilling import play_drill
from runs.actions.accept_finding import AcceptFinding
from runs.availability import downtime_over
from runs.findings import Occasion, keep_figures
from runs.inputs import digest_of, inputs_of
from runs.models import Fit, Inquiry, Question, Run, StatedProblem
from runs.queries import latest_fit
from runs.questions import QUESTIONS
from runs.questions.drills import PlayedDrills, book_of
from runs.stored import keep_answer, stored_plan
from signing.actions.hand_in_plan import HandInPlan
from signing.actions.of_sign_off import SignPlan
from signing.freezing import draft_of
from signing.models import Signature, SignOff
from studies.actions.change_variant import ChangeVariant
from studies.actions.create_variant import CreateVariant
from studies.actions.edit_demand import EditDemand
from studies.adapt import fields_of, problem_of
from studies.models import AcceptedFinding, Edit, Study, Variant, Workload
from studies.queries import variant_by_id, workloads_by_name

LITTLE = FitParams(search=SearchParams(work=200_000))
WORKLOADS = frozenset(
    {
        "bookings/api",
        "bookings/search",
        "bookings/holds",
        "fares/engine",
        "positions/ingest",
        "positions/map-tiles",
        "identity/login",
        "platform/gateway",
    }
)
"""What runs through the winter, of the summer's demand."""


JOURNEY = {
    "name": "book ahead",
    "target": "99.9",
    "chain": "platform/gateway, identity/login, bookings/search, bookings/api, fares/engine",
}


@dataclass(frozen=True)
class Step:
    """What was changed on a day: choices of the reference, replicas by workload, and why."""

    on: str
    why: str
    choices: dict[str, Any] = field(default_factory=dict)
    replicas: dict[str, int] = field(default_factory=dict)


YEAR = (
    Step("2025-12-04", "after the night of the cut cable", choices={"survive_zone": "landing", "lost_nodes": 1}),
    Step("2026-01-19", "fewer sailings after the holidays", replicas={"bookings/api": 8, "bookings/search": 6}),
    Step("2026-03-09", "early bookings for Easter", replicas={"bookings/api": 12, "bookings/search": 10}),
    Step(
        "2026-05-18",
        "a second vessel on the western line",
        replicas={"positions/ingest": 12, "positions/map-tiles": 10},
    ),
    Step("2026-07-06", "school holidays", replicas={"bookings/api": 16, "fares/engine": 12, "identity/login": 6}),
    Step("2026-09-14", "the season ends", replicas={"bookings/api": 9, "fares/engine": 7, "identity/login": 4}),
    Step("2026-10-12", "no more kinds of node than two people can look after", choices={"most_pools": 3}),
    Step("2026-11-16", "the Christmas timetable opens earlier", replicas={"bookings/api": 12, "bookings/search": 9}),
)
ACCESS = [
    {"who": "platform-team", "may": "own", "namespace": "", "until": ""},
    {"who": "bookings-crew", "may": "own", "namespace": "bookings", "until": ""},
    {"who": "ida@tarn.example", "may": "change", "namespace": "bookings", "until": "2027-03-31"},
    {"who": "fares-desk", "may": "change", "namespace": "fares", "until": ""},
    {"who": "night-watch", "may": "look", "namespace": "", "until": "2027-04-30"},
]
SIGNED_ON, WAITS_SINCE = "2026-10-14", "2026-11-24"


def load_winter(planner: User, lead: User) -> None:
    """Load the study with its year; the plan of October is signed, and one of November waits."""
    study = Study.objects.create(
        name="Winter lay-up",
        organisation="Mareel Line",
        created_by=planner,
        rates=RateSheet.objects.first(),
        tags=["winter"],
        journeys=[JOURNEY],
    )
    Study.objects.filter(pk=study.pk).update(created_at=at_hour("2025-12-01"))
    rows = [row for row in summer_demand() if row.full_name in WORKLOADS]
    Workload.objects.bulk_create(
        Workload(study=study, **fields_of(_quieter(row), place)) for place, row in enumerate(rows)
    )
    north = Region.objects.get(name="north-sound")
    reference = Variant.objects.create(
        study=study,
        name="reference",
        position=0,
        is_reference=True,
        region=north,
        zones=list(north.zones.values_list("name", flat=True)),
        most_pods_per_node=110,
        control_plane_members=3,
        tier="tended across zones",
        addresses={"parent": "10.80.0.0/14", "public": True},
        beside={"held": {"tern-8": 2}, "held_until": {"tern-8": "2027-05-31"}},
        build={"cluster": "mareel-winter", "version_to": "1.30", "access": ACCESS},
    )
    for step in YEAR:
        _change(planner, reference, step)
        made = fitted(planner, reference, step.on)
        if step.on[:7] == SIGNED_ON[:7]:
            _played(planner, made)
            row = _handed_in(
                planner, reference, "Three pools through the winter; it holds the loss of any zone.", SIGNED_ON
            )
            SignPlan(lead, row, row.digest, "Agreed until the timetable of May.").run()
            _dated(row, SIGNED_ON)
            stands = built(planner, reference, at_hour(SIGNED_ON, 16))
            _date_trail(SIGNED_ON)
    _waiting(planner, reference)
    changed_by_hand(planner, stands)
    # No worker looked at these plans: they were computed here.
    at = Occasion(variant_by_id(reference.pk), latest_fit(reference))
    keep_figures(at, at.judged)


def _waiting(planner: User, reference: Variant) -> None:
    """Let a plan of fewer pools wait to be signed."""
    fewer = CreateVariant(planner, reference, "two pools").run()
    ChangeVariant(planner, fewer, {"most_pools": 2}, why="a third kind costs a night of upgrades").run()
    _date_edit(reference.study, WAITS_SINCE)
    _played(planner, fitted(planner, fewer, WAITS_SINCE))
    row = _handed_in(
        planner, fewer, "Two pools for the Christmas timetable: dearer nodes, one kind less to upgrade.", WAITS_SINCE
    )
    _dated(row, WAITS_SINCE)


def _quieter(row: Any) -> Any:
    half = max(2, row.replicas // 2)
    return replace(
        row,
        replicas=half,
        sizing=Sizing(),
        journey="",
        together="",
        traffic=(),
        labels={**row.labels, "team": row.owner or "Platform"},
    )


def at_hour(day: str, hour: int = 9) -> datetime:
    """Return the half past an hour of a day."""
    return datetime.fromisoformat(day).replace(hour=hour, minute=30, tzinfo=UTC)


def _change(planner: User, variant: Variant, step: Step) -> None:
    if step.choices:
        ChangeVariant(planner, variant, step.choices, why=step.why).run()
    if step.replicas:
        keys = {name: str(row.key) for name, row in workloads_by_name(variant.study).items()}
        cells = {keys[name]: {"replicas": str(count)} for name, count in step.replicas.items()}
        EditDemand(planner, variant.study, cells).run()
    _date_edit(variant.study, step.on, step.why)


def _date_edit(study: Study, day: str, why: str | None = None) -> None:
    edit = Edit.objects.filter(study=study).latest("pk")
    Edit.objects.filter(pk=edit.pk).update(at=at_hour(day), **({} if why is None else {"why": why}))
    _date_trail(day)


def _date_trail(day: str) -> None:
    newest = AuditEntry.objects.latest("pk")
    AuditEntry.objects.filter(pk=newest.pk).update(at=at_hour(day))


def fitted(planner: User, variant: Variant, day: str) -> Fit:
    """Return the variant's plan, computed now and dated back."""
    now = Variant.objects.get(pk=variant.pk)
    problem = problem_of(now)
    text = write_problem(problem)
    before = variant.fits.last()
    start = None if before is None else stored_plan(before)[1]
    job = done_job("fit", f"{variant.study.name}, {variant.name}", planner)
    run = Run.objects.create(
        job=job, variant=now, stated=StatedProblem.of(text), digest=digest_of(text), inputs=inputs_of(now)
    )
    started = time.monotonic()
    solution = fit(problem, seed=run.seed, params=LITTLE, before=start)
    made = keep_answer(run, solution, time.monotonic() - started)
    for rows in (Fit.objects.filter(pk=made.pk), Job.objects.filter(pk=job.pk)):
        rows.update(created_at=at_hour(day, 10))
    made.refresh_from_db()
    downtime_over(now, made)
    return made


def _played(planner: User, made: Fit) -> None:
    """Play the whole drill book on a plan."""
    (problem, solution), book = stored_plan(made), book_of(made)
    results = tuple(play_drill(problem, solution, book, drill) for drill in book.drills)
    row = Inquiry.objects.create(
        job=done_job("drills", "drills", planner),
        variant=made.variant,
        fit=made,
        question=Question.DRILLS,
        inputs=inputs_of(made.variant),
    )
    QUESTIONS[Question.DRILLS].keep(row, PlayedDrills(len(results), results))


def _handed_in(planner: User, variant: Variant, words: str, day: str) -> SignOff:
    """Hand the variant's plan in, with a reason for each thing that is risky."""
    now = Variant.objects.get(pk=variant.pk)
    for each in draft_of(now).plan.findings:
        if each.grade == "care" and not each.accepted:
            AcceptFinding(planner, now, each.code, each.text, "the same all through last winter").run()
            _date_trail(day)
    AcceptedFinding.objects.filter(variant=now).update(accepted_at=at_hour(day))
    row = HandInPlan(planner, now, draft_of(now).digest, words).run()
    _date_trail(day)
    return row


def _dated(row: SignOff, day: str) -> None:
    """Date a plan that was handed in back, with what was said of it and who was told."""
    row.refresh_from_db()
    closed = {} if row.closed_at is None else {"closed_at": at_hour(day, 15)}
    SignOff.objects.filter(pk=row.pk).update(asked_at=at_hour(day, 11), **closed)
    Signature.objects.filter(sign_off=row).update(at=at_hour(day, 15))
    Notice.objects.filter(link__endswith=f"of={row.pk}").update(at=at_hour(day, 15))
    if closed:
        _date_trail(day)

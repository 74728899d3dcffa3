"""A plan on one page for whoever signs or pays it: everything on it is from data, and what is not known is left out."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from decimal import Decimal

from django.template.loader import render_to_string
from django.utils import timezone

from handover.files import named
from rombel.comparison import WAYS
from rombel.fit import FitSummary, summarise
from rombel.formats.drawings import DrawnNodes, frontier_svg, lanes_svg
from rombel.model.drill import Mark
from rombel.model.fit_problem import FitProblem, Survival
from rombel.model.words import some
from rombel.preflight import Grade
from rombel.signing import SeenPlan
from runs.models import Fit, Inquiry, Question
from runs.queries import latest_inquiry
from runs.questions import QUESTIONS
from runs.stored import stored_plan
from signing.freezing import Draft, side_of
from signing.models import Signature, SignOff
from signing.queries import against, against_running
from studies.models import Variant

MOST_RISKS = 7
"""One page has no room for more; how many there are beside is said."""
_CPU, _MEMORY = "cpu_millicores", "memory_bytes"


@dataclass(frozen=True, slots=True)
class Subject:
    """What a brief is about: a plan that was handed in, or one that could be."""

    variant: Variant
    name: str
    fit: Fit
    plan: SeenPlan
    asked: str
    asked_by: str
    state: str
    needed: int
    digest: str
    signatures: Sequence[Signature]
    changes: tuple[str, Sequence[str]] | None


def of_sign_off(row: SignOff) -> Subject:
    """Return a plan that was handed in, as it was seen."""
    signatures = list(row.signatures.all())
    return Subject(
        row.variant, row.variant_name, row.fit, row.plan, row.words, row.asked_by.shown_name, row.state, row.needed, row.digest,
        signatures, against(row),
    )  # fmt: skip


def of_draft(draft: Draft) -> Subject:
    """Return the newest plan of a variant, which nobody was asked to sign yet."""
    changes = against_running(draft.variant.study, side_of(draft.variant.name, draft.plan))
    return Subject(
        draft.variant, draft.variant.name, draft.fit, draft.plan, "", "", "a draft, not handed in", draft.needed, draft.digest,
        [], changes,
    )  # fmt: skip


def brief_html(subject: Subject, nonce: str, printed_at: datetime | None = None) -> tuple[str, str, str]:
    """Return the page as one HTML file without scripts, its media type and a file name.

    ``nonce`` lets a browser show its style; ``printed_at`` stands at its foot, by default now.
    """
    plan, variant = subject.plan, subject.variant
    problem, solution = stored_plan(subject.fit)
    summary = summarise(problem, solution)
    risks = [each for each in plan.findings if each.grade is not Grade.NOTE]
    broken = [drill.name for drill in plan.drills or () if drill.mark is Mark.BROKEN]
    context = {
        "nonce": nonce,
        "subject": subject,
        "study": variant.study,
        "printed_at": printed_at or timezone.now(),
        "sentences": _sentences(subject, problem),
        "gap": None if plan.gap is None else 100 * plan.gap,
        "lanes": lanes_svg(drawn_nodes(summary), problem.zones),
        "frontier": _frontier(subject, float(summary.cost_per_month)),
        "prices": _prices(subject.fit),
        "risks": risks[:MOST_RISKS],
        "more": max(0, len(risks) - MOST_RISKS),
        "broken": some(broken),
        "blanks": range(max(0, subject.needed - sum(each.signs for each in subject.signatures))),
        "nodes": sum(plan.nodes.values()),
    }
    name = named(variant, f"brief-{subject.digest[:8]}.html")
    return render_to_string("brief.html", context), "text/html; charset=utf-8", name


def _sentences(subject: Subject, problem: FitProblem) -> list[str]:
    plan = subject.plan
    nodes, pools = sum(plan.nodes.values()), len({key[:2] for key in plan.nodes})
    zones = sorted({key[2] for key in plan.nodes})
    replicas = sum(row.replicas for row in problem.workloads)
    what = f"{nodes} nodes in {pools} pools stand in {_listed(zones)} and carry {replicas} replicas of {len(problem.workloads)} workloads."
    gap = plan.gap or 0.0
    above = f"{100 * gap:.1f} % above the floor" if gap > 1e-9 else "the least that is possible"
    cost = f"It costs {plan.cost:,.2f} {plan.currency} a month with all fees, {above}: no plan that keeps its promises costs less than {plan.floor:,.2f}."
    how = problem.survive_zone
    zone = (
        "The loss of a zone is not survived"
        if how is Survival.NONE
        else f"It survives the loss of any one zone {WAYS[how]}"
    )
    loss = problem.survive_nodes
    node = (
        f", and of any {loss.count if loss.count > 1 else 'one'} {'nodes' if loss.count > 1 else 'node'} {WAYS[loss.how]}"
        if loss.promised
        else ""
    )
    played = "not all drills were played on it" if plan.drills is None else _marks(plan)
    return [what, cost, f"{zone}{node}; {played}."]


def _marks(plan: SeenPlan) -> str:
    found = [(sum(drill.mark is mark for drill in plan.drills or ()), mark) for mark in Mark]
    words = ", ".join(f"{count} {mark}" for count, mark in found if count)
    return f"of {len(plan.drills or ())} drills {words}"


def _listed(names: Sequence[str]) -> str:
    return names[0] if len(names) == 1 else f"{', '.join(names[:-1])} and {names[-1]}"


def drawn_nodes(summary: FitSummary) -> list[DrawnNodes]:
    """Return the nodes of a plan as they are drawn."""
    return [
        DrawnNodes(
            node.instance_type,
            node.zone,
            node.count,
            node.requested.get(_CPU, 0) / (node.usable.get(_CPU) or 1),
            node.requested.get(_MEMORY, 0) / (node.usable.get(_MEMORY) or 1),
        )
        for node in summary.nodes
    ]


def _prices(fit: Fit) -> list[tuple[str, Decimal]]:
    """Return what each promise of a plan costs a month, the dearest first, those that cost nothing as one line; none where nobody asked."""
    row = fit.inquiries.filter(question=Question.PROMISES, job__status="done").last()
    answer = None if row is None else QUESTIONS[Question.PROMISES].answer_of(row)
    prices = [] if answer is None else [(price.words, Decimal(price.price)) for price in answer.prices]
    dear, free = [each for each in prices if each[1]], [words for words, price in prices if not price]
    return [*dear, *([(f"nothing, each alone: {some(free)}", Decimal(0))] if free else [])]


def _frontier(subject: Subject, cost: float) -> str:
    """Return the picture of cost against the downtime of the journey that falls shortest; empty where it was not computed."""
    shortest = max(
        (own for own in subject.plan.journeys if own.allowed),
        key=lambda own: own.minutes / (own.allowed or 1),
        default=None,
    )
    row: Inquiry | None = latest_inquiry(subject.variant, Question.FRONTIER)
    answer = None if row is None or shortest is None else QUESTIONS[Question.FRONTIER].answer_of(row)
    if answer is None or shortest is None:
        return ""
    points = [
        (float(point.downtime[shortest.name]), float(point.cost))
        for point in QUESTIONS[Question.FRONTIER].shown(answer).points.values()
        if shortest.name in point.downtime
    ]
    # Points are of nodes and zones; the plan is put beside them without its fees.
    here = float(shortest.minutes), cost
    return frontier_svg(points, here, subject.plan.currency) if points else ""

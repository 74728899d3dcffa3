"""Reads of plans that were handed in, and of what differs since."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import replace

from django.db.models import QuerySet

from accounts.action import Missing
from rombel.comparison import Side, asked_otherwise, input_changes, told
from rombel.errors import InputRefused
from rombel.model.fit_problem import FitProblem
from rombel.model.fit_solution import counted
from rombel.signing import SeenPlan
from runs.bills import Division, told_bill
from runs.comparing import running_side
from runs.models import Fit
from runs.queries import latest_plan, present_digest
from runs.stored import stored_plan
from signing.freezing import draft_of, side_of
from signing.models import SignOff, State
from studies.adapt import problem_of
from studies.models import Study, Variant
from studies.queries import variant_by_id

LAST = 50
"""So many of a study's are listed, the newest first."""


def sign_off_by_id(key: int) -> SignOff:
    """Return a plan that was handed in; ``Missing`` where there is none."""
    found = _rows().filter(pk=key).first()
    if found is None:
        raise Missing(f"There is no plan {key} that was handed in.")
    return found


def sign_offs_of(study: Study) -> list[SignOff]:
    """Return a study's plans that were handed in, the newest first; what was seen of them is not read."""
    return list(_rows().filter(study=study).defer("seen").order_by("-pk")[:LAST])


def standing_of(studies: Iterable[Study]) -> dict[int, set[str]]:
    """Return by study whether a plan is signed and whether one waits, in one read."""
    found: dict[int, set[str]] = {}
    rows = SignOff.objects.filter(study__in=[study.pk for study in studies], state__in=(State.SIGNED, State.WAITING))
    for study, state in rows.values_list("study_id", "state"):
        found.setdefault(study, set()).add(state)
    return found


def _rows() -> QuerySet[SignOff]:
    return SignOff.objects.select_related("asked_by", "study", "variant", "fit__stated").prefetch_related(
        "signatures__by"
    )


def since(row: SignOff) -> list[str]:
    """Return what differs between a plan that was handed in and its variant as it stands, in sentences; empty: nothing does."""
    if row.variant.removed_at is not None:
        return ["The variant was taken out of the study since."]
    variant = variant_by_id(row.variant_id)
    plan = latest_plan(variant)
    if plan is None:
        return ["The variant has no plan any more: the last fit found none."]
    # Figures of a plan that is out of date would be compared as if they were today's.
    if present_digest(variant)[0] != plan.digest:
        return _since_not_fitted(row, variant, plan)
    now, seen = draft_of(variant), row.plan
    # The fingerprint covers all that was seen, so that nothing need be compared piece by piece.
    if now.digest == row.digest:
        return []
    before, after = side_of(row.variant_name, seen), side_of(variant.name, now.plan)
    sentences = []
    moved = (before.nodes, before.cost, before.down) != (after.nodes, after.cost, after.down)
    if moved or now.fit.digest != row.fit.digest:
        sentences = told(before, after, input_changes(stored_plan(row.fit)[0], stored_plan(now.fit)[0]))
    sentences += _beside(seen, now.plan)
    same = (
        "Cost, nodes, journeys, drills and findings are the same; where replicas run, or what is said of it, differs."
    )
    return sentences or [same]


def _since_not_fitted(row: SignOff, variant: Variant, plan: Fit) -> list[str]:
    """Return what a variant asks by now that was not fitted yet, and what its last plan has otherwise.

    This is asked for after every edit, so that nothing is computed of a plan that is out of date: not how long journeys are down, say.
    """
    sentences = list(_asked_since(stored_plan(row.fit)[0], variant))
    if plan.pk != row.fit_id:
        problem, solution = stored_plan(plan)
        # How long journeys are down takes a question of its own, which an edit does not ask.
        before = replace(side_of(row.variant_name, row.plan), down={})
        cost = told_bill(variant, "month", Division()).total
        after = Side(variant.name, variant.study.currency, cost, counted(solution.nodes))
        first, *others = told(before, after, input_changes(stored_plan(row.fit)[0], problem))
        sentences += [f"Its last plan, from before that: {first}", *others]
    return sentences or ["It was changed since, and not fitted again."]


def _beside(seen: SeenPlan, now: SeenPlan) -> Iterator[str]:
    """Yield what differs in floor, drills, findings and house rules that are left."""
    if seen.floor != now.floor:
        yield f"Its floor is {now.floor:,.2f} {now.currency} a month, and was {seen.floor:,.2f}."
    marks = {drill.name: drill.mark for drill in seen.drills or ()}
    other = [
        f"{drill.name} ({marks.get(drill.name, 'not played')}, now {drill.mark})"
        for drill in now.drills or ()
        if marks.get(drill.name) is not drill.mark
    ]
    if now.drills is None and seen.drills is not None:
        yield "Not all drills were played on its newest plan."
    elif other:
        yield f"Drills show something else: {'; '.join(other)}."
    texts, present = ([each.text for each in plan.findings] for plan in (seen, now))
    yield from _more("Pre-flight finds more", present, texts)
    yield from _more("Pre-flight no longer finds", texts, present)
    rules, left = ([f"{rule}: {chosen}" for rule, chosen, _ in plan.deviations] for plan in (seen, now))
    yield from _more("It leaves a house rule", left, rules)


def _asked_since(signed: FitProblem, variant: Variant) -> Iterator[str]:
    """Yield what a variant asks by now that was not fitted yet."""
    try:
        changes = input_changes(signed, problem_of(variant))
    except InputRefused as refused:
        yield f"No plan can be computed now: {refused.faults[0].reason}"
        return
    if changes:
        yield f"{asked_otherwise(changes)} It was not fitted since."


def _more(what: str, now: Iterable[str], before: Iterable[str]) -> Iterator[str]:
    known = {*before}
    if new := [text for text in now if text not in known]:
        yield f"{what}: {'; '.join(new)}."


def against(row: SignOff) -> tuple[str, list[str]] | None:
    """Return what a plan changes against the one signed before, or against what runs: which of them, and sentences. None: there is neither."""
    name, seen = row.variant_name, row.plan
    earlier = (
        _rows()
        .filter(study=row.study_id, state__in=(State.SIGNED, State.SUPERSEDED), pk__lt=row.pk)
        # The one that counted when this one was handed in, though others may have been signed since.
        .order_by("closed_at")
        .last()
    )
    if earlier is not None:
        changes = input_changes(stored_plan(earlier.fit)[0], stored_plan(row.fit)[0])
        words = f"the plan of {earlier.variant_name} signed on {earlier.closed_at:%Y-%m-%d}"
        return words, told(side_of(earlier.variant_name, earlier.plan), side_of(name, seen), changes)
    return against_running(row.study, side_of(name, seen))


def against_running(study: Study, side: Side) -> tuple[str, list[str]] | None:
    """Return what a plan changes against what runs, in words and sentences; None: nobody listed what runs."""
    return None if study.running is None else ("what runs", told(running_side(study), side, None))

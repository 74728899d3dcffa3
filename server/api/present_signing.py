"""Plans that were handed in, and what people are told, as they are sent."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from accounts.models import Role, User
from api.present import variant_ref
from api.present_comparison import shown_count
from api.problems import fault_list
from inbox.queries import Inbox
from rombel.signing import SeenPlan, seen_value
from signing.freezing import Draft
from signing.models import SignOff, State
from signing.queries import against, since
from studies.models import Study


def shown_line(row: SignOff) -> dict[str, Any]:
    """Return a plan that was handed in, in short."""
    own = ("variant_id", "variant_name", "state", "words", "asked_at", "closed_at", "needed", "digest")
    return {
        "id": row.pk,
        "fit_id": row.fit_id,
        **{name: getattr(row, name) for name in own},
        "asked_by": row.asked_by.shown_name,
        "signatures": [
            {"by": each.by.shown_name, "at": each.at, "signs": each.signs, "words": each.words}
            for each in row.signatures.all()
        ],
    }


def shown_sign_off(row: SignOff, person: User) -> dict[str, Any]:
    """Return a plan that was handed in, whole."""
    told = against(row)
    why_not = _why_not(row, person)
    return {
        **shown_line(row),
        "seen": _seen(row.plan),
        "since": since(row),
        "against": told[0] if told else "",
        "changes": told[1] if told else [],
        "may_sign": not why_not,
        "why_not": why_not,
        "may_withdraw": row.state == State.WAITING and row.asked_by_id == person.pk,
    }


def shown_sign_offs(study: Study, rows: Sequence[SignOff]) -> dict[str, Any]:
    """Return a study's plans that were handed in."""
    signed = next((row for row in rows if row.state == State.SIGNED), None)
    return {
        "study_id": study.pk,
        "study_name": study.name,
        "variants": [variant_ref(entry) for entry in study.variants.all()],
        "sign_offs": [shown_line(row) for row in rows],
        "since": [] if signed is None else since(signed),
    }


def shown_draft(draft: Draft) -> dict[str, Any]:
    """Return what would be handed in."""
    return {
        "variant_id": draft.variant.pk,
        "variant_name": draft.variant.name,
        "digest": draft.digest,
        "needed": draft.needed,
        "hurdles": fault_list(draft.hurdles),
        "seen": _seen(draft.plan),
    }


def shown_inbox(found: Inbox) -> dict[str, Any]:
    """Return what a person is told."""
    return {
        "unread": found.unread,
        "notices": [
            {
                "id": row.pk,
                "at": row.at,
                "by": row.by.shown_name,
                "words": row.words,
                "link": row.link,
                "read": row.read_at is not None,
            }
            for row in found.notices
        ],
    }


def _why_not(row: SignOff, person: User) -> str:
    """Return why a person does not sign a plan; empty: the person may."""
    if row.state != State.WAITING:
        return f"It is {row.state}."
    if person.role != Role.LEAD:
        return "A lead signs it."
    if row.asked_by_id == person.pk:
        return "You handed it in; another lead signs it."
    signed = any(each.by_id == person.pk for each in row.signatures.all())
    return "You have signed it; a second lead is asked." if signed else ""


def _seen(plan: SeenPlan) -> dict[str, Any]:
    value = seen_value(plan)
    return {
        **value,
        "nodes": [shown_count(*key, count) for key, count in sorted(plan.nodes.items())],
        "bill": [{"name": name, "amount": amount} for name, amount in value["bill"]],
        "drills": None if value["drills"] is None else [{"name": name, "mark": mark} for name, mark in value["drills"]],
        "deviations": [{"rule": rule, "chosen": chosen, "why": why} for rule, chosen, why in value["deviations"]],
    }

"""Which state of a study an answer shows."""

from __future__ import annotations

from dataclasses import dataclass

from django.db.models import BigIntegerField, IntegerField, OuterRef, Subquery, Value
from django.db.models.functions import Coalesce

from accounts.models import User
from runs.models import Version
from studies.models import Study, StudyRole
from studies.sharing import role_said, said_to

HOUSE = 0
"""The subject of what all studies share."""


@dataclass(frozen=True, slots=True)
class Seen:
    """The versions of a study and of what all studies share, and what a person may do with the study."""

    study: int
    house: int
    role: StudyRole


def seen_of_variant(variant_id: int, person: User) -> Seen | None:
    """Return which state of a variant's study a person sees now; None: there is none, or not for them."""
    # Asked for before anything else is read: what is read later is this state or a later one, never an earlier.
    row = (
        Study.objects.filter(variants__pk=variant_id, variants__removed_at=None)
        .only("created_by_id", "others")
        .annotate(said=said_to(person), own=_number(OuterRef("pk")), house=_number(Value(HOUSE, IntegerField())))
        .first()
    )
    role = None if row is None else role_said(row, person, row.said)
    return None if row is None or role is None else Seen(row.own, row.house, role)


def _number(subject: OuterRef | Value) -> Coalesce:
    found = Version.objects.filter(subject=subject).values("number")
    return Coalesce(Subquery(found), 0, output_field=BigIntegerField())

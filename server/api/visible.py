"""Whether what an address is about is there for a person: every part of an address that leads to a study is looked at here, before it is answered."""

from __future__ import annotations

from collections.abc import Mapping

from django.db.models import QuerySet

from accounts.models import Role, User
from studies.models import Study
from studies.sharing import seen_by

WORDS = {
    "study_id": "There is no study {}.",
    "variant_id": "There is no variant {}.",
    "run_id": "There is no run {}.",
    "fit_id": "There is no fit {}.",
    "inquiry_id": "There is no inquiry {}.",
    "build_id": "There is no build {}.",
    "sign_off_id": "There is no plan {} that was handed in.",
}
"""What is said where there is nothing under a number; what is hidden is told of in the very same words."""


def hidden_part(person: User, parts: Mapping[str, str]) -> str | None:
    """Return what to say where a part of an address is of a study that is not there for the person; None: go on."""
    if person.role == Role.LEAD:
        return None
    for name, words in WORDS.items():
        # What is no number, or too long for one, is refused where it is read.
        number = parts.get(name, "")
        if number.isascii() and number.isdecimal() and len(number) < 19 and _is_hidden(person, name, int(number)):
            return words.format(int(number))
    return None


def _is_hidden(person: User, name: str, number: int) -> bool:
    """Return whether there is no such thing for the person; whether there is one for others makes no difference to any answer."""
    return not _studies(name, number).filter(pk__in=seen_by(person).values("pk")).exists()


def _studies(name: str, number: int) -> QuerySet[Study]:
    if name == "study_id":
        return Study.objects.filter(pk=number)
    if name == "sign_off_id":
        return Study.objects.filter(sign_offs__pk=number)
    if name == "build_id":
        return Study.objects.filter(builds__pk=number)
    if name == "variant_id":
        return Study.objects.filter(variants__pk=number)
    if name == "run_id":
        return Study.objects.filter(variants__runs__pk=number)
    if name == "fit_id":
        return Study.objects.filter(variants__fits__pk=number)
    return Study.objects.filter(variants__inquiries__pk=number)

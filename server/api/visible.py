"""Whether what an address is about is there for a person: every part of an address that leads to a study is looked at here, before it is answered."""

from __future__ import annotations

from collections.abc import Mapping

from django.http import HttpRequest

from accounts.models import Role, User
from runs.versions import Seen, seen_of_variant
from studies.sharing import seen_by

WORDS = {
    "study_id": "There is no study {}.",
    "variant_id": "There is no variant {}.",
    "run_id": "There is no run {}.",
    "fit_id": "There is no fit {}.",
    "inquiry_id": "There is no inquiry {}.",
    "build_id": "There is no build {}.",
    "sweep_id": "There is no sweep {}.",
    "sign_off_id": "There is no plan {} that was handed in.",
}
"""What is said where there is nothing under a number; what is hidden is told of in the very same words."""


def hidden_part(request: HttpRequest, person: User, parts: Mapping[str, str]) -> str | None:
    """Return what to say where a part of an address is of a study that is not there for the person; None: go on."""
    if person.role == Role.LEAD:
        return None
    for name, number in numbers_in(parts).items():
        # What is asked for most often, the bench and the bill, needs the version all the same: who sees that sees the study.
        if name == "variant_id" and request.method == "GET" and seen_variant(request, person, number) is not None:
            continue
        if _is_hidden(person, name, number):
            return WORDS[name].format(number)
    return None


def seen_variant(request: HttpRequest, person: User, number: int) -> Seen | None:
    """Return which state of a variant's study a person sees, looked at once a request; None: there is none, or not for them."""
    known: dict[int, Seen | None] = request.__dict__.setdefault("seen_variants", {})
    if number not in known:
        known[number] = seen_of_variant(number, person)
    return known[number]


def numbers_in(parts: Mapping[str, str]) -> dict[str, int]:
    """Return the parts of an address that lead to a study; what is no number, or too long for one, is refused where it is read."""
    found = {name: parts[name] for name in WORDS if name in parts}
    return {name: int(text) for name, text in found.items() if text.isascii() and text.isdecimal() and len(text) < 19}


_FROM_STUDY = {
    "study_id": "pk",
    "variant_id": "variants__pk",
    "run_id": "variants__runs__pk",
    "fit_id": "variants__fits__pk",
    "inquiry_id": "variants__inquiries__pk",
    "build_id": "builds__pk",
    "sweep_id": "sweeps__pk",
    "sign_off_id": "sign_offs__pk",
}
"""How each is reached from its study."""


def _is_hidden(person: User, name: str, number: int) -> bool:
    """Return whether there is no such thing for the person; whether there is one for others makes no difference to any answer."""
    return not seen_by(person).filter(**{_FROM_STUDY[name]: number}).exists()

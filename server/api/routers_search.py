"""The address of what is found by its name."""

from __future__ import annotations

from dataclasses import asdict
from typing import Annotated, Any

from django.http import HttpRequest
from ninja import Query, Router, Schema
from pydantic import Field

from accounts.action import Missing
from api.answer import Answer
from api.session import user_of
from runs.search import found
from studies.queries import variant_by_id
from studies.sharing import role_in, seen_by

search = Router()


class SearchQuery(Schema):
    """What is looked for, and the variant that is looked at."""

    text: Annotated[str, Field(max_length=120)]
    variant_id: int | None = None


class FoundOut(Answer):
    """Something that was found, and where it is looked at."""

    kind: str
    name: str
    words: str
    link: str


@search.get("/found", operation_id="find", response=list[FoundOut])
def find(request: HttpRequest, asked: Query[SearchQuery]) -> Any:
    """Return what holds every word of a text in its name, of each kind the first few."""
    person = user_of(request)
    variant = None if asked.variant_id is None else variant_by_id(asked.variant_id)
    if variant is not None and role_in(variant.study, person) is None:
        raise Missing(f"There is no variant {variant.pk}.")
    return [asdict(each) for each in found(asked.text, variant, seen_by(person))]

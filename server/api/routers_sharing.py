"""The addresses of who may do what with a study."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest
from ninja import Router, Status

from accounts.models import Role, User
from api.schemas_studies import ShareIn, StudyPeopleOut
from api.session import user_of
from studies.actions.share_study import ShareStudy
from studies.models import Study
from studies.queries import study_by_id
from studies.sharing import role_in

sharing = Router()


@sharing.get("/studies/{study_id}/people", operation_id="getStudyPeople", response=StudyPeopleOut)
def get_study_people(request: HttpRequest, study_id: int) -> Any:
    """Say who may do what with a study."""
    study = study_by_id(study_id)
    yours = role_in(study, user_of(request))
    return {"study_name": study.name, "others": study.others, "yours": yours, "people": _people(study)}


@sharing.patch("/studies/{study_id}/people", operation_id="shareStudy", response={204: None})
def share_study(request: HttpRequest, study_id: int, body: ShareIn) -> Any:
    """Name a person in a study, or say what all others may."""
    ShareStudy(user_of(request), study_by_id(study_id), body.others, body.username, body.role).run()
    return Status(204, None)


def _people(study: Study) -> list[dict[str, Any]]:
    named = {share.person_id: share.role for share in study.shares.all()}
    # Service owners see requests for capacity alone, and nobody can name them.
    people = User.objects.filter(is_active=True).exclude(role=Role.OWNER).order_by("first_name", "username")
    return [
        {
            "username": person.username,
            "full_name": person.shown_name,
            "house_role": person.role,
            "role": named.get(person.pk),
            "made_it": person.pk == study.created_by_id,
        }
        for person in people
    ]

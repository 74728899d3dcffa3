"""Who may do what with a study: people named in it, everybody else, and leads, who answer for all of them."""

from __future__ import annotations

from django.db.models import Exists, OuterRef, Q, QuerySet, Subquery

from accounts.action import Missing, NotAllowed
from accounts.models import Role, User
from studies.models import Others, Share, Study, StudyRole

_MORE = tuple(StudyRole)
"""From the least to the most."""


def role_in(study: Study, person: User) -> StudyRole | None:
    """Return what a person may do with a study; None: it is not there for them.

    Who is named may what is said there, whoever made it and is not named is its owner, and the others may what the study leaves to them.
    """
    # All of them, as a page of studies has read them already; few are named.
    shares = () if person.role == Role.LEAD else study.shares.all()
    return role_said(study, person, next((each.role for each in shares if each.person_id == person.pk), None))


def said_to(person: User) -> Subquery:
    """Return what the row of a study says of a person, as a statement's expression; NULL: they are not named."""
    return Subquery(Share.objects.filter(study=OuterRef("pk"), person=person).values("role")[:1])


def role_said(study: Study, person: User, said: str | None) -> StudyRole | None:
    """Return what ``role_in`` does of a study, where it is known what it says of the person (None: they are not named)."""
    # Leads sign off and look after what nobody else can: nothing is shut away from them.
    if person.role == Role.LEAD:
        return StudyRole.OWNER
    if said is not None:
        return StudyRole(said)
    if study.created_by_id == person.pk:
        return StudyRole.OWNER
    return None if study.others == Others.NOTHING else StudyRole(study.others)


def seen_by(person: User) -> QuerySet[Study]:
    """Return the studies that are there for a person; in step with ``role_in``."""
    if person.role == Role.LEAD:
        return Study.objects.all()
    named = Exists(Share.objects.filter(study=OuterRef("pk"), person=person))
    return Study.objects.filter(Q(named) | Q(created_by=person) | ~Q(others=Others.NOTHING))


def seen_study(study_id: int, person: User) -> Study:
    """Return a study that is there for a person; ``Missing`` otherwise, in the words that are said where there is none."""
    study = seen_by(person).filter(pk=study_id).first()
    if study is None:
        raise Missing(f"There is no study {study_id}.")
    return study


def demand_role(study: Study, person: User, least: StudyRole) -> None:
    """Go on only where a person may do as much with a study.

    Raises
    ------
    Missing
        When the study is not there for them.
    NotAllowed
        When they may do less.

    """
    role = role_in(study, person)
    if role is None:
        raise Missing(f"There is no study {study.pk}.")
    if _MORE.index(role) < _MORE.index(least):
        who = "owner" if least is StudyRole.OWNER else "owner or editor"
        raise NotAllowed(
            f"You are {_article(role)} {role} of this study; this is for its {who}. An owner can name you."
        )


def owners_of(study: Study) -> list[User]:
    """Return a study's owners: those named so, and who made it where they are not named otherwise."""
    shares = {share.person_id: share for share in study.shares.all()}
    owners = [share.person for share in shares.values() if share.role == StudyRole.OWNER]
    return owners if study.created_by_id in shares else [study.created_by, *owners]


def _article(role: StudyRole) -> str:
    return "a" if role is StudyRole.READER else "an"

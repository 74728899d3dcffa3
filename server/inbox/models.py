"""What a person is told, until it was read."""

from __future__ import annotations

from collections.abc import Iterable

from django.db import models

from accounts.models import Role, User


class Notice(models.Model):
    """Something that a person should know: who did it, in words, and where it is looked at (an address inside Rombel)."""

    person = models.ForeignKey(User, on_delete=models.CASCADE, related_name="notices")
    at = models.DateTimeField(auto_now_add=True)
    by = models.ForeignKey(User, on_delete=models.PROTECT, related_name="+")
    words = models.CharField(max_length=600)
    link = models.CharField(max_length=200)
    read_at = models.DateTimeField(null=True)

    class Meta:
        """Oldest first."""

        ordering = ("id",)


def tell(people: Iterable[User], by: User, words: str, link: str) -> None:
    """Tell people what somebody did; who did it knows."""
    others = {person.pk: person for person in people if person.pk != by.pk}
    Notice.objects.bulk_create(Notice(person=person, by=by, words=words[:600], link=link) for person in others.values())


def with_role(*roles: Role) -> list[User]:
    """Return who has one of some roles."""
    return list(User.objects.filter(role__in=roles, is_active=True))

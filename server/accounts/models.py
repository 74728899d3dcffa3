"""People with their role, and the trail of everything they changed."""

from __future__ import annotations

from django.contrib.auth.models import AbstractUser
from django.db import models


class Role(models.TextChoices):
    """What a person may do: an owner asks, a viewer reads, a planner changes, a lead changes and signs off."""

    OWNER = "owner"
    VIEWER = "viewer"
    PLANNER = "planner"
    LEAD = "lead"


class User(AbstractUser):
    """A person."""

    role = models.CharField(max_length=10, choices=Role.choices, default=Role.VIEWER)

    @property
    def shown_name(self) -> str:
        """Return the full name; the one to sign in with where none is known."""
        return self.get_full_name() or self.username


class OutsideIdentity(models.Model):
    """Who a person is at the organisation's identity provider: its issuer, and the subject under which it knows the person for good."""

    person = models.ForeignKey(User, on_delete=models.CASCADE, related_name="outside")
    issuer = models.CharField(max_length=200)
    subject = models.CharField(max_length=255)
    added_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        """Each is one person, and a person is one there."""

        constraints = (
            models.UniqueConstraint(fields=("issuer", "subject"), name="identity_once"),
            models.UniqueConstraint(fields=("issuer", "person"), name="identity_of_one"),
        )


class AuditEntry(models.Model):
    """One mutation: who, when, which action, on what, with which input."""

    actor = models.ForeignKey(User, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField(auto_now_add=True)
    action = models.CharField(max_length=60)
    subject = models.CharField(max_length=120)
    detail = models.JSONField(default=dict)

    class Meta:
        """Newest last."""

        ordering = ("id",)
        indexes = (models.Index(fields=("subject",)),)


class SignInTries(models.Model):
    """Failures to sign in, in a row, under a name or from an address; until when no further one is looked at."""

    key = models.CharField(max_length=140, primary_key=True)
    failures = models.PositiveIntegerField(default=0)
    last_at = models.DateTimeField(null=True)
    until = models.DateTimeField(null=True)


class SentOnce(models.Model):
    """What was answered to a request that carried a key of its own, so that the same request sent again is not done again.

    ``status`` is 0 while the first one is still being answered.
    """

    actor = models.ForeignKey(User, on_delete=models.CASCADE, related_name="+")
    key = models.CharField(max_length=80)
    digest = models.CharField(max_length=64)
    status = models.PositiveSmallIntegerField(default=0)
    content = models.BinaryField(default=b"")
    content_type = models.CharField(max_length=80, blank=True)
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        """One of each key a person."""

        constraints = (models.UniqueConstraint(fields=("actor", "key"), name="sent_once"),)


class OpenSession(models.Model):
    """A session that somebody signed in to: since when, from where and with what; ``key`` is the one that the session has.

    It goes with the session, wherever that is ended; one whose session is over is left out of every list.
    """

    person = models.ForeignKey(User, on_delete=models.CASCADE, related_name="open_sessions")
    key = models.CharField(max_length=40, unique=True)
    opened_at = models.DateTimeField(auto_now_add=True)
    address = models.CharField(max_length=60, blank=True)
    agent = models.CharField(max_length=200, blank=True)

    class Meta:
        """Newest first."""

        ordering = ("-id",)


class Scope(models.TextChoices):
    """What a token lets a pipeline do, within what its person may."""

    READ = "read"
    FIT = "fit"
    CHANGE = "change"


class Token(models.Model):
    """What a pipeline sends in place of a session. Only a fingerprint of it is kept, so that it is shown once."""

    person = models.ForeignKey(User, on_delete=models.CASCADE, related_name="tokens")
    name = models.CharField(max_length=80)
    scopes = models.JSONField()
    digest = models.CharField(max_length=64, unique=True)
    made_at = models.DateTimeField(auto_now_add=True)
    expires_at = models.DateTimeField()
    used_at = models.DateTimeField(null=True)
    ended_at = models.DateTimeField(null=True)

    class Meta:
        """Newest first; of those that are not ended each name once a person."""

        ordering = ("-id",)
        constraints = (
            models.UniqueConstraint(
                fields=("person", "name"), condition=models.Q(ended_at=None), name="token_named_once"
            ),
        )


class Invitation(models.Model):
    """A link for somebody who has no account yet: good once, for some days; only a fingerprint of it is kept."""

    username = models.CharField(max_length=150)
    full_name = models.CharField(max_length=200, blank=True)
    role = models.CharField(max_length=10, choices=Role.choices)
    digest = models.CharField(max_length=64, unique=True)
    made_by = models.ForeignKey(User, on_delete=models.CASCADE, related_name="+")
    made_at = models.DateTimeField(auto_now_add=True)
    expires_at = models.DateTimeField()
    taken_at = models.DateTimeField(null=True)
    withdrawn_at = models.DateTimeField(null=True)

    class Meta:
        """Newest first."""

        ordering = ("-id",)

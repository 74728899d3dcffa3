"""Change one's own password."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import ClassVar

from django.contrib.auth.password_validation import validate_password
from django.core.exceptions import ValidationError

from accounts import throttle
from accounts.action import Action
from accounts.models import Role, User
from rombel.errors import Fault, InputRefused, refuse


@dataclass
class ChangePassword(Action[User]):
    """Take the place of the old password, which has to be known; every other session of the person ends with it."""

    old: str = field(repr=False)
    new: str = field(repr=False)
    address: str
    name: ClassVar[str] = "person.password"
    roles: ClassVar[tuple[Role, ...]] = tuple(Role)

    def permit(self) -> None:
        """Go on only with the old password: a session that somebody left open is not enough.

        Raises
        ------
        InputRefused
            When it is another one, or was tried too often; a wrong one counts as a failed sign-in.

        """
        # Outside of the transaction, which a refusal would take back with the count.
        if wait := throttle.waiting_s(self.actor.username, self.address):
            raise refuse("password.wait", "old", f"Too many tries. Wait {wait} s.", "Then try again.")
        if not self.actor.check_password(self.old):
            throttle.failed(self.actor.username, self.address)
            raise refuse("password.old", "old", "This is not your password.", "Type the one that you signed in with.")
        throttle.succeeded(self.actor.username)

    def lock(self) -> None:
        """Hold the person's row."""
        self.person = User.objects.select_for_update().get(pk=self.actor.pk)

    def execute(self) -> User:
        """Return the person with the new password."""
        try:
            validate_password(self.new, self.person)
        except ValidationError as error:
            fix = "Choose another one."
            raise InputRefused([Fault("password.new", "new", reason, fix) for reason in error.messages]) from None
        self.person.set_password(self.new)
        self.person.save(update_fields=["password"])
        return self.person

    def subject(self) -> str:
        """Return the person."""
        return f"person:{self.actor.pk}"

"""Change one's own password."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import ClassVar

from accounts import throttle
from accounts.action import Action, OfOneself
from accounts.models import Role, User
from accounts.passwords import choose
from rombel.errors import refuse


@dataclass
class ChangePassword(OfOneself, Action[User]):
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
        choose(self.person, self.new, "new")
        self.person.save(update_fields=["password"])
        return self.person

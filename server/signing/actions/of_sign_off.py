"""The shape of what is said of a plan that waits: one after the other, and only of what was seen."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, ClassVar

from django.utils import timezone

from accounts.action import Action, NotAllowed, Overtaken
from accounts.models import Role
from inbox.models import tell, with_role
from rombel.errors import InputRefused, refuse
from rombel.signing import hurdles
from signing.models import Signature, SignOff, State
from signing.queries import sign_off_by_id
from studies.actions.of_study import held
from studies.models import StudyRole
from studies.sharing import demand_role


def link_to(row: SignOff) -> str:
    """Return where a plan that was handed in is looked at."""
    return f"/studies/{row.study_id}/sign-off?of={row.pk}"


def close(row: SignOff, state: State) -> None:
    """Let it wait, or count, no more."""
    row.state, row.closed_at = state, timezone.now()
    row.save(update_fields=["state", "closed_at"])


@dataclass
class OfSignOff(Action[SignOff]):
    """An action on a plan that waits; ``digest`` says which figures its sender saw."""

    row: SignOff
    digest: str
    words: str = ""

    def permit(self) -> None:
        """Go on only where the study is there for the person; who may say what is looked at by the kinds below."""
        demand_role(self.row.study, self.actor, StudyRole.READER)

    def lock(self) -> None:
        """Hold the study and read the row anew: of two who act at once the second sees what the first did."""
        # The study is what every edit locks too: nothing changes between what is looked at and what is written.
        held(self.row.study_id)
        self.row = sign_off_by_id(self.row.pk)

    def waiting(self) -> None:
        """Go on only while it waits, at the figures that were seen."""
        if self.row.state != State.WAITING:
            raise Overtaken(f"This plan is {self.row.state} already{_by_whom(self.row)}. Nothing was changed.")
        if self.row.digest != self.digest:
            raise Overtaken("These are not the figures that were handed in. Load the page again, and look.")

    def subject(self) -> str:
        """Return the study."""
        return f"study:{self.row.study_id}"

    def detail(self) -> dict[str, Any]:
        """Return which plan, at which figures, and what was said."""
        return {
            "sign_off": self.row.pk,
            "variant": self.row.variant_name,
            "digest": self.row.digest,
            "words": self.words,
        }


def _by_whom(row: SignOff) -> str:
    last = row.signatures.select_related("by").last()
    return f" by {last.by.shown_name}" if last is not None else ""


@dataclass
class OfLead(OfSignOff):
    """What a lead who did not hand the plan in says of it."""

    roles: ClassVar[tuple[Role, ...]] = (Role.LEAD,)

    def looked_at(self) -> None:
        """Go on only where the lead may, and has not signed already."""
        self.waiting()
        if self.row.asked_by_id == self.actor.pk:
            raise NotAllowed("Nobody signs or returns the own plan; another lead does, or you take it back.")
        if self.row.signatures.filter(by=self.actor).exists():
            raise refuse("sign.twice", "", "You have signed this plan already.", "Another lead signs next.")

    def say(self, *, signs: bool) -> None:
        """Keep what was said."""
        Signature.objects.create(sign_off=self.row, by=self.actor, signs=signs, words=self.words.strip())


@dataclass
class SignPlan(OfLead):
    """Sign a plan; with the last signature that is needed it is the study's signed plan and supersedes the one before."""

    name: ClassVar[str] = "plan.sign"

    def execute(self) -> SignOff:
        """Return it as it then stands."""
        self.looked_at()
        # Rows can be written without Rombel; the fingerprint that was handed in cannot be made to fit them.
        if not self.row.is_whole:
            reason = "What is stored is not what was handed in: it was changed behind Rombel's back."
            raise refuse("sign.altered", "digest", reason, "Return it, and let it be handed in anew.")
        # Looked at again over what is stored: a rule may have been taught something since it was handed in.
        if found := hurdles(self.row.plan):
            raise InputRefused(found)
        self.say(signs=True)
        name, left = self.row.variant_name, self.row.needed - self.row.signatures.filter(signs=True).count()
        if left > 0:
            tell(
                with_role(Role.LEAD),
                self.actor,
                f"signed the plan of {name}; a second lead is asked",
                link_to(self.row),
            )
        else:
            # A study has one signed plan, whichever of its variants it is of.
            for before in SignOff.objects.filter(study=self.row.study_id, state=State.SIGNED):
                close(before, State.SUPERSEDED)
            close(self.row, State.SIGNED)
        words = f"signed your plan of {name}" + (", a second lead is still asked" if left > 0 else "")
        tell([self.row.asked_by], self.actor, words, link_to(self.row))
        return self.row


@dataclass
class ReturnPlan(OfLead):
    """Return a plan with words; the variant goes on, and is handed in anew."""

    name: ClassVar[str] = "plan.return"

    def execute(self) -> SignOff:
        """Return it as it then stands."""
        self.looked_at()
        if not self.words.strip():
            raise refuse("sign.words", "words", "Nothing is said.", "Say what should be otherwise.")
        self.say(signs=False)
        close(self.row, State.RETURNED)
        words = f"returned your plan of {self.row.variant_name}: {self.words.strip()}"
        tell([self.row.asked_by], self.actor, words, link_to(self.row))
        return self.row


@dataclass
class WithdrawPlan(OfSignOff):
    """Take a plan back that waits; who handed it in may, and nobody else."""

    name: ClassVar[str] = "plan.withdraw"

    def execute(self) -> SignOff:
        """Return it as it then stands."""
        self.waiting()
        if self.row.asked_by_id != self.actor.pk:
            raise NotAllowed("Only who handed a plan in takes it back.")
        close(self.row, State.WITHDRAWN)
        tell(with_role(Role.LEAD), self.actor, f"took the plan of {self.row.variant_name} back", link_to(self.row))
        return self.row

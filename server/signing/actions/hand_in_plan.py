"""Hand a variant's plan in to be signed off."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, ClassVar

from accounts.action import Overtaken
from accounts.models import Role
from inbox.models import tell, with_role
from rombel.errors import Fault, InputRefused
from rombel.signing import seen_value
from signing.actions.of_sign_off import close, link_to
from signing.freezing import draft_of
from signing.models import SignOff, State
from studies.actions.of_study import OfVariant


@dataclass
class HandInPlan(OfVariant[SignOff]):
    """Freeze what is seen of the newest plan and ask leads to sign it; what waits of this variant is replaced.

    Parameters
    ----------
    digest
        Of the figures that its sender saw; where they are others by now nothing is handed in.
    words
        What is asked, for the lead.

    """

    digest: str
    words: str
    name: ClassVar[str] = "plan.hand_in"

    def execute(self) -> SignOff:
        """Return it; refuse with everything that keeps the plan from being signed."""
        draft = draft_of(self.variant)
        faults = list(draft.hurdles)
        if not self.words.strip():
            fix = "Say in a sentence what is decided by it."
            faults.append(Fault("sign.words", "words", "The lead is not told what is asked.", fix))
        if faults:
            raise InputRefused(faults)
        if draft.digest != self.digest:
            raise Overtaken("The figures changed since you looked. Look again, then hand them in.")
        for waiting in SignOff.objects.filter(variant=self.variant, state=State.WAITING):
            close(waiting, State.REPLACED)
        # Thinning must never take what a lead looks at, and what is signed is shown for years.
        draft.fit.kept = True
        draft.fit.save(update_fields=["kept"])
        self.row = SignOff.objects.create(
            study=self.variant.study,
            variant=self.variant,
            fit=draft.fit,
            variant_name=self.variant.name,
            seen=seen_value(draft.plan),
            digest=draft.digest,
            needed=draft.needed,
            words=self.words.strip(),
            asked_by=self.actor,
        )
        tell(
            with_role(Role.LEAD),
            self.actor,
            f"handed in the plan of {self.variant.name}: {self.row.words}",
            link_to(self.row),
        )
        return self.row

    def subject(self) -> str:
        """Return the study."""
        return f"study:{self.variant.study_id}"

    def detail(self) -> dict[str, Any]:
        """Return which plan, at which figures, and what was asked."""
        return {"sign_off": self.row.pk, "variant": self.variant.name, "digest": self.digest, "words": self.words}

"""Stop an inquiry and keep what is known so far."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

from accounts.action import Action
from runs.models import Inquiry


@dataclass
class StopInquiry(Action[Inquiry]):
    """Ask the worker to stop; the answers known so far are kept."""

    target: Inquiry
    name: ClassVar[str] = "inquiry.stop"

    def execute(self) -> Inquiry:
        """Return the inquiry."""
        Inquiry.objects.filter(pk=self.target.pk).update(stop_requested=True)
        return self.target

    def subject(self) -> str:
        """Return the inquiry."""
        return f"inquiry:{self.target.pk}"

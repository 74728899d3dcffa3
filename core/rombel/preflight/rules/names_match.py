"""Texts that must be equal in two places and are not."""

from __future__ import annotations

from rombel.preflight.rule import Found, Grade, When, rule
from rombel.preflight.situation import Situation


@rule("names.match", When.JOINING, "preflight")
def unequal(at: Situation) -> Found:
    """Stop: what is looked for under one name is not found under another; capital letters and spaces at the ends are told apart too."""
    for match in at.build.matches:
        if match.one != match.other:
            alike = match.one.strip().lower() == match.other.strip().lower()
            why = ", only by capital letters or spaces" if alike else ""
            text = f"{match.what}: '{match.one}' and '{match.other}' differ{why}, and must be equal"
            yield Grade.STOP, text, "Write the same in both places."

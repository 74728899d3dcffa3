"""A version that is no longer supported."""

from __future__ import annotations

from rombel.preflight.rule import Found, Grade, When, rule
from rombel.preflight.situation import Situation

SOON_DAYS = 90
"""So many days ahead an upgrade is planned; common practice, no source."""


@rule("versions.end", When.RUNNING, "preflight")
def ended(at: Situation) -> Found:
    """Stop once the end is over, care where it is near: providers then upgrade by themselves, or ask more."""
    ends, today = at.build.ends, at.build.today
    if ends is None or today is None:
        return
    version = at.build.to or at.build.now or "the version"
    if ends <= today:
        yield Grade.STOP, f"{version} is no longer supported since {ends}", "Aim at a newer version."
    elif (ends - today).days <= SOON_DAYS:
        yield (
            Grade.CARE,
            f"{version} is supported until {ends} alone, {(ends - today).days} days from now",
            "Aim at a newer version.",
        )

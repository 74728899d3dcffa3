"""A private API that nobody reaches."""

from __future__ import annotations

from rombel.preflight.rule import Found, Grade, When, rule
from rombel.preflight.situation import Situation


@rule("access.way_in", When.START, "preflight")
def unreachable(at: Situation) -> Found:
    """Stop: nobody outside its network, pipelines included, can finish the build."""
    if at.build.private_api and not at.build.way_in.strip():
        text = "the API has a private address alone, and no way in is stated"
        yield Grade.STOP, text, "State a jump host, a private link, or a network that is joined to it."

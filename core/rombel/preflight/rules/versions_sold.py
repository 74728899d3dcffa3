"""A version that the provider does not sell."""

from __future__ import annotations

from rombel.preflight.rule import Found, Grade, When, rule
from rombel.preflight.situation import Situation


@rule("versions.sold", When.START, "preflight")
def unsold(at: Situation) -> Found:
    """Stop: the build asks for it and is refused."""
    aimed, sold = at.build.to, at.build.sold
    if aimed is not None and sold and aimed not in sold:
        words = ", ".join(str(version) for version in sorted(sold))
        yield Grade.STOP, f"the provider's price list has no version {aimed}", f"Aim at one of {words}."

"""Version steps that a control plane may not take at once."""

from __future__ import annotations

from rombel.preflight.rule import Found, Grade, When, rule
from rombel.preflight.situation import Situation


@rule("versions.step", When.UPGRADE, "preflight")
def skipping(at: Situation) -> Found:
    """Stop: a control plane goes one minor at a time and never back (Kubernetes documentation, "Version Skew Policy", from memory)."""
    now, to = at.build.now, at.build.to
    if now is None or to is None or now == to:
        return
    steps = now.steps_to(to)
    if steps is None:
        yield Grade.CARE, f"from {now} to {to} the major version changes", "Read what the project says of that step."
    elif steps < 0:
        yield Grade.STOP, f"from {now} to {to} is a step back", "Build a cluster of the older version beside it."
    elif steps > 1:
        between = ", ".join(f"{now.major}.{now.minor + n}" for n in range(1, steps + 1))
        text = f"from {now} to {to} are {steps} steps of the control plane, and none may be skipped"
        yield Grade.STOP, text, f"Go {between}, one after the other."

"""How large things may be: what is within is computed exactly, in the integers and floats that are used."""

from __future__ import annotations

import re

LARGEST_WHOLE = 2**63 - 1
"""Of every stored number."""
MOST_REPLICAS = 1_000_000
"""Of one workload at any level."""
MOST_ALL_REPLICAS = 4_000_000
"""Of all workloads of a study together, at any level."""
MOST_CPU_MILLICORES = 100_000_000
MOST_BYTES = 2**53
"""Of one replica."""
MOST_WHOLE = 2_000_000_000
"""Of every plain number of a row."""
MOST_OWNER = 120
"""Characters of a team's name."""
LARGEST_SAMPLE = 1e15
"""Of one measured value."""

_CONTROL = re.compile("[\x00-\x08\x0b\x0c\x0e-\x1f\x7f\ud800-\udfff]")


def unprintable(text: str) -> str | None:
    """Return the first control character of a text, or half of a pair; None where there is none. Tabs and line ends are fine."""
    found = _CONTROL.search(text)
    return None if found is None else found[0]

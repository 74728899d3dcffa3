"""Taints of nodes and tolerations of pods, as the Kubernetes API matches them.

A taint reads ``key=value:Effect`` or ``key:Effect``. A toleration reads the same with every part but the key optional, and ``*`` tolerates
all: a key without a value asks only that the key exists, no effect stands for every effect. Source: Kubernetes API reference,
``Toleration`` (semantics from memory).
"""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass

from rombel.errors import refuse

EFFECTS = ("NoSchedule", "NoExecute", "PreferNoSchedule")
_TAINT = re.compile(r"^([A-Za-z0-9][-A-Za-z0-9_./]{0,252})(?:=([-A-Za-z0-9_.]{0,63}))?:(\w+)$")


@dataclass(frozen=True, slots=True)
class Taint:
    """What keeps pods off a node that do not tolerate it; ``PreferNoSchedule`` keeps none off."""

    key: str
    value: str
    effect: str

    def tolerated_by(self, tolerations: Iterable[str]) -> bool:
        """Return whether a pod with these tolerations may be placed there."""
        return self.effect == "PreferNoSchedule" or any(self._matches(entry) for entry in tolerations)

    def _matches(self, toleration: str) -> bool:
        head, _, effect = toleration.partition(":")
        key, stated, value = head.partition("=")
        return (
            # A star tolerates everything; a key alone tolerates any of its values (Exists); an empty effect matches all.
            key in ("*", self.key) and (key == "*" or not stated or value == self.value) and effect in ("", self.effect)
        )


def read_taint(text: str, path: str = "taint") -> Taint:
    """Return the taint that a text states.

    Raises
    ------
    InputRefused
        When it is none.

    """
    found = _TAINT.match(text.strip())
    if found is None or found[3] not in EFFECTS:
        fix = f"Write key=value:Effect, with {', '.join(EFFECTS)}."
        raise refuse("supply.taint", path, f"'{text}' is no taint.", fix)
    return Taint(found[1], found[2] or "", found[3])

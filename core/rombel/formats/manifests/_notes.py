"""What is gathered while manifests are read: faults, what was ignored, what was understood."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass, field

from rombel.errors import Fault
from rombel.formats._yaml import Located
from rombel.formats.reading import Ignored, Understood

BY_CLUSTER = "the cluster writes it; it asks for nothing"
NOT_ASKED = "it does not change what must be placed"

_WHY = (
    ("status", BY_CLUSTER),
    ("metadata.managedFields", BY_CLUSTER),
    ("metadata.creationTimestamp", BY_CLUSTER),
    ("metadata.uid", BY_CLUSTER),
    ("metadata.resourceVersion", BY_CLUSTER),
    ("metadata.generation", BY_CLUSTER),
    ("spec.behavior", "steps and windows of the autoscaler matter in a rehearsal, not for how much is needed"),
    ("spec.strategy", "a roll-out's surge is no steady demand"),
    ("spec.updateStrategy", "a roll-out's surge is no steady demand"),
    ("affinity", "only required rules of equal labels, and rules against labels on a host, are planned with"),
    ("tolerationSeconds", "how long an eviction waits is no demand"),
)


def _plain(path: str) -> str:
    """Return a path with whatever a label or resource is called left out, so that equal fields count as one."""
    for mapping in ("labels", "matchLabels", "nodeSelector", "requests", "limits", "allocatable", "annotations"):
        head, found, tail = path.partition(f".{mapping}.")
        if found and mapping not in ("requests", "limits", "allocatable"):
            return f"{head}.{mapping}.*" if tail else path
    return path


@dataclass(slots=True)
class Notes:
    """Faults, and what was used or left out, counted by what it is."""

    faults: list[Fault] = field(default_factory=list)
    ignored: dict[tuple[str, str], Ignored] = field(default_factory=dict)
    understood: Counter[str] = field(default_factory=Counter)
    fields: Counter[str] = field(default_factory=Counter)

    def ignore(self, line: int, what: str, why: str) -> None:
        """Note something left out; the same thing left out again is counted."""
        known = self.ignored.get((what, why))
        self.ignored[what, why] = Ignored(known.line if known else line, what, why, known.count + 1 if known else 1)

    def tell_fields(self, item: Located, kind: str) -> None:
        """Note every field of an object: those that were used, and those that nobody took."""
        self.fields.update(f"{kind} {_plain(path)}" for path in item.taken())
        for path, line in item.unread():
            if path:
                why = next((reason for part, reason in _WHY if part in path), NOT_ASKED)
                self.ignore(line, f"{kind} {path}", why)

    def used(self) -> tuple[Understood, ...]:
        """Return the fields that were used, in order."""
        return tuple(Understood(what, count) for what, count in sorted(self.fields.items()))

    def seen(self) -> tuple[Understood, ...]:
        """Return what was used, the commonest first."""
        return tuple(Understood(what, count) for what, count in self.understood.most_common())

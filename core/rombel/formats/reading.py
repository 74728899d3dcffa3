"""What a reader of demand gives back: rows, faults with their places, and what was understood and ignored."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from rombel.errors import Fault
from rombel.model.demand import Demand
from rombel.model.running import Running

Watch = Callable[[float], None]
"""Told now and then which share of a text was read; what it raises ends the reading."""


def unwatched(share: float) -> None:
    """Do nothing with a share."""


LOADED = 0.6
"""Share of the work that is done once a text is parsed: seen on manifests of many workloads."""
EVERY_ROWS = 100
"""Rows between two tellings."""
MOST_BYTES = 20 * 2**20
"""Largest text a reader takes."""


MOST_ROWS = 20_000
"""Most workloads of one text."""
MOST_FAULTS = 500
"""A reader stops after so many: whoever has them fixes the first and reads again."""


@dataclass(frozen=True, slots=True)
class Ignored:
    """Something left out on purpose: where it first stood, what it was, why it does not matter here, how often."""

    line: int
    what: str
    why: str
    count: int = 1


@dataclass(frozen=True, slots=True)
class Understood:
    """A kind of thing that was read, and how many of them."""

    what: str
    count: int


@dataclass(frozen=True, slots=True)
class DemandReading:
    """The outcome of reading demand; with any fault nothing is to be stored.

    Parameters
    ----------
    rows, faults, ignored, understood
        What was read, what is wrong with it, what was left out, and how many of each kind of thing were used.
    speaks
        Columns of the sheet that the text tells of; the others of a known row stay as they are.
    fields
        Every field that was used, and how often; fields neither here nor in ``ignored`` are none of the text's.
    running
        Nodes and where pods run on them, from the listing of a cluster; None: not listed.

    """

    rows: tuple[Demand, ...]
    faults: tuple[Fault, ...]
    ignored: tuple[Ignored, ...] = ()
    understood: tuple[Understood, ...] = ()
    running: Running | None = None
    speaks: frozenset[str] = frozenset()
    fields: tuple[Understood, ...] = ()


OF_WORKLOADS = frozenset(
    ("namespace", "name", "kind", "replicas", "cpu", "memory", "zone_skew", "most_per_node", "node_labels", "labels",
     "priority", "tolerations", "volumes", "start_up_s", "resources", "node_skew", "zone_skew_wish", "apart")
)  # fmt: skip
"""What manifests and Compose files tell of every workload."""


def size_fault(size_bytes: int) -> Fault | None:
    """Return the fault of a text that is too large, or None."""
    if size_bytes <= MOST_BYTES:
        return None
    return Fault(
        "file.large",
        "",
        f"The text has {size_bytes:,} bytes; at most {MOST_BYTES:,} are read.",
        "Split it, or leave out what is no workload.",
    )

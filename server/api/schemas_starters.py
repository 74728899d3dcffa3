"""Starters as they are sent."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Literal

from pydantic import Field

from api.answer import Answer
from api.schemas_studies import ShortestOut
from api.strict import Body

Line = Annotated[str, Field(max_length=80)]
Number = Annotated[str, Field(max_length=40)]
Words = Annotated[str, Field(max_length=400)]
Survive = Literal["none", "standing", "landing", "growing"]


class StarterStudyOut(Answer):
    """A study that was made from a starter, from which version, by whom and when."""

    study_id: int
    study_name: str
    version: int
    by: str
    at: datetime


class StarterLineOut(Answer):
    """A starter in the list, in its newest version, and which studies were made from it."""

    id: int
    name: str
    note: str
    put_away: bool
    version: int
    saved_at: datetime
    saved_by: str
    workloads: int
    uses: list[StarterStudyOut]


class StartersOut(Answer):
    """The starters of the house."""

    starters: list[StarterLineOut]


class BlankOut(Answer):
    """A blank that takes a number: its usual value, and from where to where it goes, as decimal text."""

    name: str
    label: str
    unit: str
    value: str
    least: str
    most: str


class StarterSizeOut(Answer):
    """A size, and its factor as decimal text."""

    name: str
    factor: str


class AmountTexts(Answer):
    """Replicas, vCPUs, memory and load at peak of a workload, as text; of a workload whose replicas follow its load they are empty, else the load is."""

    replicas: str
    cpu: str
    memory: str
    load: str


class StarterRowOut(Answer):
    """A workload of a starter: its plain amounts, and the formulas that stand in their place (empty: none)."""

    name: str
    plain: AmountTexts
    formulas: AmountTexts


class TargetOut(Answer):
    """A journey, and the availability in percent that is promised."""

    name: str
    target: str


class SavedVersionOut(Answer):
    """A version of a starter: what is otherwise in it, who saved it, and when."""

    number: int
    why: str
    by: str
    at: datetime


class StarterOut(StarterLineOut):
    """A starter with what its newest version asks for; ``region_id`` is null where the region that it was made in is no longer sold."""

    inputs: list[BlankOut]
    sizes: list[StarterSizeOut]
    rows: list[StarterRowOut]
    survive_zone: Survive
    journeys: list[TargetOut]
    region_id: int | None
    region: str
    versions: list[SavedVersionOut]


class StarterIn(Body):
    """A variant that is saved as a starter, under a name."""

    name: Line
    note: Words = ""
    variant_id: int


class ArrangeStarterIn(Body):
    """Name or note of a starter, or whether it is put away; what is left out stays."""

    name: Line = ""
    note: Words = ""
    put_away: bool = False


class BlankIn(Body):
    """A blank that takes a number, as typed."""

    name: Annotated[str, Field(max_length=40)]
    label: Line
    unit: Annotated[str, Field(max_length=40)]
    value: Number
    least: Number
    most: Number


class StarterSizeIn(Body):
    """A size and its factor, as typed."""

    name: Annotated[str, Field(max_length=20)]
    factor: Number


class BlanksIn(Body):
    """Inputs, sizes, and formulas by the full name of a workload and the amount (replicas, cpu in vCPUs, memory in GiB, load)."""

    inputs: Annotated[list[BlankIn], Field(max_length=40)]
    sizes: Annotated[list[StarterSizeIn], Field(max_length=20)]
    formulas: Annotated[
        dict[str, dict[Literal["replicas", "cpu", "memory", "load"], Annotated[str, Field(max_length=400)]]],
        Field(max_length=10_000),
    ]


class StarterVersionIn(Body):
    """A next version: after which one it comes, its blanks, what is otherwise, and the variant whose rows are taken anew (null: they stay)."""

    after: int
    blanks: BlanksIn
    why: Words
    variant_id: int | None = None


class FillIn(Body):
    """A starter as it is filled in: numbers as typed, what is left out has its usual value; no zones: all of the region."""

    name: Annotated[str, Field(max_length=120)]
    region_id: int
    zones: Annotated[list[Annotated[str, Field(max_length=80)]], Field(max_length=20)] = []
    size: Annotated[str, Field(max_length=20)]
    inputs: Annotated[dict[str, Number], Field(max_length=40)] = {}
    survive_zone: Survive | Literal[""] = ""
    targets: Annotated[dict[str, Number], Field(max_length=200)] = {}


class StarterTrialOut(Answer):
    """What answers would make: bill and its floor a month, nodes, replicas and journeys; ``reasons``: why there is no plan."""

    currency: str
    cost_per_month: str | None
    floor_per_month: str | None
    nodes: int
    replicas: int
    journeys: list[ShortestOut]
    reasons: list[str]


class StarterUseOut(Answer):
    """From which starter and version a study was made, the newest one, why it was saved, and what it would change."""

    starter_id: int
    starter: str
    version: int
    newest: int
    why: str
    changes: list[str]

"""What the API says of bills."""

from __future__ import annotations

from decimal import Decimal
from typing import Annotated

from pydantic import Field

from api.answer import Answer
from api.strict import Body
from runs.commitments import Source


class ChargeOut(Answer):
    """A line of a bill: quantity times price times ``times`` (hours, or months where the unit is no hour), to the cent."""

    kind: str
    what: str
    purchase: str
    zone: str
    quantity: str
    unit: str
    price: str
    times: str
    amount: Decimal
    source: str


class BillPartOut(Answer):
    """What a part of a bill is made of."""

    name: str
    amount: Decimal


class SoldBesideOut(Answer):
    """What the price list sells beside nodes: a node disk by GiB and month, or a fee by its unit."""

    kind: str
    name: str
    unit: str
    price: str


class BillShareOut(Answer):
    """A part of a bill: whose it is, whether nobody asks for it (room that is kept, idle, shared), and what it is made of."""

    name: str
    amount: Decimal
    unassigned: bool
    parts: list[BillPartOut]


class LevelBillOut(Answer):
    """What a level of demand costs in its hours of the period, where nodes follow demand."""

    level: str
    hours: float
    cost: Decimal


class BillOut(Answer):
    """A bill: its lines, and its parts by what was asked; lines sum to the total to the last cent, and so do the parts.

    ``left_out``: what the price list sells and the variant does not count.
    """

    fit_id: int
    currency: str
    words: str
    hours: str
    total: Decimal
    charges: list[ChargeOut]
    shares: list[BillShareOut]
    left_out: list[str]
    labels: list[str]
    by_level: list[LevelBillOut]
    sold: list[SoldBesideOut]


class UseOut(Answer):
    """How much is in use, and for how many hours of a month."""

    amount: float
    hours: float


class CommittedLevelOut(Answer):
    """A level that may be committed to: what a month then costs with what is above it on demand, and how much of it is used (0 to 1)."""

    amount: float
    cost: Decimal
    used: float


class CommitmentOut(Answer):
    """A commitment at the level that costs least.

    ``target``: an instance type in ``zones`` where it costs the same, a family, or any node. Amounts are nodes where ``in_nodes``, else money an
    hour on demand. ``best`` to ``up_to``: levels that cost the same. ``after_fall``: what it saves a month when a quarter of the demand is gone.
    """

    term: str
    months: int
    price_share: float
    upfront_share: float
    target: str
    zones: list[str]
    in_nodes: bool
    best: float
    up_to: float
    on_demand: Decimal
    saves: Decimal
    after_fall: Decimal
    paid_at_once: Decimal
    net_present_value: Decimal
    break_even_month: int | None
    words: str
    uses: list[UseOut]
    levels: list[CommittedLevelOut]


class InterruptedOut(Answer):
    """An interruptible pool in a zone: what it saves, and how many interruptions and moved replicas are to be expected, all a month."""

    instance_type: str
    zone: str
    nodes: int
    saves: Decimal | None
    interruptions: float | None
    moved: float | None
    workloads: dict[str, int]


class MayBeInterrupted(Answer):
    """A workload that tolerates interruption, and the largest share of its replicas that may."""

    workload: str
    share: float


class CommitmentsOut(Answer):
    """What the price list's terms would do for the newest plan; of proposals that bind the same nodes only one can be taken."""

    currency: str
    source: Source
    sources: list[Source]
    held: dict[str, int]
    together: dict[str, Decimal]
    proposals: list[CommitmentOut]
    interruptible: list[InterruptedOut]
    may_be_interrupted: list[MayBeInterrupted]


class OtherPlan(Answer):
    """A plan that may be compared with."""

    fit_id: int
    name: str


class OtherList(Answer):
    """A price list at which the same plan may be billed."""

    edition_id: int
    name: str


class BridgeLine(Answer):
    """What is bought, and its amounts in both bills."""

    name: str
    before: Decimal
    after: Decimal


class BridgeOut(Answer):
    """What leads from one month's bill to another: price, demand, promises and choices sum to the difference to the last cent.

    ``edition_id``: the price list at which the same plan is billed; ``unsold``: instance types of the plan that it does not offer.
    """

    currency: str
    fit_id: int
    edition_id: int | None
    before_name: str
    after_name: str
    before: Decimal
    after: Decimal
    price: Decimal
    demand: Decimal
    promises: Decimal
    choices: Decimal
    lines: list[BridgeLine]
    others: list[OtherPlan]
    lists: list[OtherList]
    unsold: list[str]


class ChargesIn(Body):
    """A month of cost data in the FinOps Open Cost and Usage Specification, as CSV."""

    month: Annotated[str, Field(max_length=7)]
    text: str
    origin: Annotated[str, Field(max_length=200)] = ""


class ActualMonthOut(Answer):
    """A month of which charges were taken."""

    month: str
    origin: str
    lines: int
    taken_by: str


class ComparedOut(Answer):
    """One thing as it was planned, or billed in the month beside, and as it was billed; null: it is in that one not.

    ``by_amount`` and ``by_price`` sum to the difference.
    """

    item: str
    purchase: str
    zone: str
    planned: Decimal | None
    billed: Decimal | None
    difference: Decimal
    by_amount: Decimal | None
    by_price: Decimal | None


class ActualOut(Answer):
    """A month that was billed beside the plan for its hours, or beside another month that was billed; the differences sum to that of the totals.

    ``beside``: the other month, whose amounts then stand under ``planned``; empty: the plan.
    """

    currency: str
    month: str
    beside: str
    hours: str
    planned: Decimal
    billed: Decimal
    compared: list[ComparedOut]

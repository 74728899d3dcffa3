"""The bill of a variant's fit: what it is for, who pays for what, and what it leaves out."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from decimal import Decimal
from enum import StrEnum
from fractions import Fraction

from accounts.action import Missing
from catalogue.listed import listed
from rombel.errors import InputRefused, refuse
from rombel.ledger import (
    CORE_AS_4_GIB,
    HOUR,
    MONTH,
    NODE,
    SHARED,
    UNASSIGNED,
    Bill,
    Billed,
    Charge,
    bill_of,
    hours_of_month,
    hours_until,
    line_amounts,
    month_of,
    rounded,
    shared_out,
    spread,
    standing_in_zones,
    traffic_charges,
)
from rombel.model.beside import TRAFFIC, Per
from rombel.model.demand import Demand, parted_name
from rombel.model.fit_problem import FitProblem
from rombel.model.fit_solution import FitSolution, NodeBatch
from runs.models import Fit
from runs.queries import latest_plan
from runs.stored import stored_plan
from studies.adapt import demand_rows, exchange_for
from studies.beside import beside_of, left_out, volume_disk
from studies.models import Variant


class By(StrEnum):
    """What a bill is divided by."""

    KIND = "kind"
    POOL = "pool"
    ZONE = "zone"
    WORKLOAD = "workload"
    NAMESPACE = "namespace"
    OWNER = "owner"
    SERVICE = "service"
    JOURNEY = "journey"
    LABEL = "label"


class Measure(StrEnum):
    """By what replicas share their node: the largest share of any resource, or CPU and memory by weight."""

    DOMINANT = "dominant"
    WEIGHT = "weight"


@dataclass(frozen=True, slots=True)
class Division:
    """How a bill is divided: by what (a label by its name), whether what nobody asks for is spread, and how a node is shared."""

    by: By = By.KIND
    spread_out: bool = False
    label: str = ""
    measure: Measure = Measure.DOMINANT


OF_CHARGES = (By.KIND, By.POOL, By.ZONE)
"""Divided by what is bought; the others by who asks for it."""


@dataclass(frozen=True, slots=True)
class Share:
    """A part of a bill to the cent: whose it is, whether nobody asks for it, and by name what it is made of."""

    name: str
    amount: Decimal
    unassigned: bool
    parts: Sequence[tuple[str, Decimal]]


@dataclass(frozen=True, slots=True)
class BillTold:
    """A bill as it is told: amounts to the cent that sum to its total, however it is divided."""

    fit: Fit
    bill: Bill
    words: str
    total: Decimal
    amounts: Sequence[Decimal]
    by: By
    shares: Sequence[Share]
    left_out: Sequence[str]
    labels: Sequence[str]


def told_bill(variant: Variant, period: str, division: Division) -> BillTold:
    """Return the bill of the newest plan of a variant for a period, divided.

    Raises
    ------
    InputRefused
        When the period is none.
    Missing
        When there is no plan.

    """
    fit = latest_plan(variant)
    if fit is None:
        raise Missing(f"Variant {variant.pk} has no plan, so there is no bill.")
    hours, words = hours_of(period, datetime.now(UTC))
    whole = billed(fit, hours)
    bill, plan = whole.bill, (whole.problem, whole.solution)
    amounts = line_amounts(bill)
    by = division.by
    parts = _divided(bill, by) if by in OF_CHARGES else _paid(variant, bill, plan, division)
    # Rounded together and not one by one: cents that are cut off here are added there, and the sum is the total.
    shares = list(_shares(rounded(parts)))
    return BillTold(
        fit,
        bill,
        words,
        sum(amounts, Decimal(0)),
        amounts,
        by,
        sorted(shares, key=lambda share: (share.unassigned, -share.amount, share.name)),
        left_out(variant),
        sorted({name for row in demand_rows(variant.study) for name in row.labels}),
    )


def billed(fit: Fit, hours: Fraction = MONTH) -> Billed:
    """Return a fit's plan with its bill, fees of its variant as they are now."""
    problem, solution = stored_plan(fit)
    others = tuple(charges_beside(fit.variant, solution.nodes, hours))
    return Billed(
        bill_of(problem, solution, hours=hours, source=source_of(fit.variant), others=others), problem, solution
    )


NOBODY = "not stated"
"""Whose rows name nobody."""


MONTH_NAME = "month"
"""What the period of 730 hours is called."""


def counts_from_now(period: str) -> bool:
    """Return whether a bill for a period depends on when it is asked for."""
    return period != MONTH_NAME and month_of(period) is None


def hours_of(period: str, now: datetime) -> tuple[Fraction, str]:
    """Return the hours of a period and what it is called: ``month``, a calendar month ``2028-02``, or until a time.

    Raises
    ------
    InputRefused
        When it is none of them, or ends before now.

    """
    if period == MONTH_NAME:
        return MONTH, "a month of 730 hours"
    if month := month_of(period):
        hours = hours_of_month(*month)
        return hours, f"{datetime(*month, 1, tzinfo=UTC):%B %Y}, {hours} hours"
    try:
        end = datetime.fromisoformat(period)
        # A time without a zone is taken for UTC, as every time that is shown is.
        end = end.astimezone(UTC) if end.tzinfo else end.replace(tzinfo=UTC)
    except (ValueError, OverflowError):
        fix = "Write month, a month such as 2028-02, or the time of the end, such as 2028-02-04T18:00."
        raise refuse("ledger.period", "period", f"'{period[:40]}' is no period.", fix) from None
    try:
        hours = hours_until(now.replace(microsecond=0), end)
    except InputRefused:
        reason, fix = f"{end:%Y-%m-%d %H:%M} UTC is over.", "State an end that is still to come."
        raise refuse("ledger.period", "period", reason, fix) from None
    return hours, f"the time from now until {end.day} {end:%B %Y %H:%M} UTC"


def source_of(variant: Variant) -> str:
    """Return which price list the prices are from."""
    edition = None if variant.region is None else variant.region.edition
    return "" if edition is None else f"{edition.provider.name}, {edition.dated.isoformat()}"


def charges_beside(variant: Variant, nodes: Sequence[NodeBatch], hours: Fraction = MONTH) -> Iterator[Charge]:
    """Yield what is paid that no fit decides: the control plane's tier, the study's own fees, and volumes where replicas stand."""
    if variant.region is None:
        return
    edition, source = variant.region.edition, source_of(variant)
    convert = exchange_for(variant.study, edition.currency)
    tier = listed(variant.region).tier(variant.tier)
    if tier is not None and tier.price_per_hour:
        yield Charge("control plane", tier.name, "", "", 1, HOUR, convert(tier.price_per_hour), hours, source)
    costs = beside_of(variant, variant.region, convert)
    # The bench asks for this after every edit, and most variants count neither traffic nor volumes: only then are rows read, once.
    disk = volume_disk(variant)
    rows = demand_rows(variant.study) if disk is not None or any(cost.per in TRAFFIC for cost in costs) else []
    for cost in costs:
        if cost.per is Per.STUDY:
            # A fee a month is paid for the part of it that the period is.
            times = hours if cost.unit == HOUR else hours / MONTH
            yield Charge(cost.name, "", "", "", cost.count, cost.unit, cost.price, times, source)
        elif cost.per in TRAFFIC:
            yield from traffic_charges(cost, rows, nodes, hours / MONTH, source)
    if disk is not None:
        price = convert(disk.price_per_gib_month)
        yield from _volumes(f"volume ({disk.name})", price, rows, nodes, hours / MONTH, source)


def _volumes(
    kind: str, price: Decimal, rows: Sequence[Demand], nodes: Sequence[NodeBatch], months: Fraction, source: str
) -> Iterator[Charge]:
    """Yield each workload's zonal volumes by zone: every replica has its own, the replicas that stand for a loss too."""
    sizes = {
        # Providers sell whole GiB: a started one is paid.
        row.full_name: sum(-(-volume.size_bytes // 2**30) for volume in row.pod.volumes if volume.zonal)
        for row in rows
    }
    for name, standing in standing_in_zones(nodes).items():
        for zone, count in standing.items():
            if gib := sizes.get(name, 0) * count:
                yield Charge(kind, name, "", zone, gib, "GiB", price, months, source, ((name, 1),))


def fees_beside(variant: Variant, nodes: Sequence[NodeBatch]) -> Decimal:
    """Return what is paid a month beside nodes and zones in the study's currency: the control plane's tier, the study's fees, volumes."""
    return as_decimal(sum((charge.amount for charge in charges_beside(variant, nodes)), Fraction(0)))


def as_decimal(amount: Fraction) -> Decimal:
    """Return an exact amount as a decimal to twelve places."""
    return rounded({0: amount}, 12)[0]


def _shares(cents: Mapping[tuple[str, str], Decimal]) -> Iterator[Share]:
    """Yield the parts of a bill with what each is made of; rounded at the finest, so that every sum is that of what is shown."""
    groups: defaultdict[str, list[tuple[str, Decimal]]] = defaultdict(list)
    for (group, leaf), amount in cents.items():
        groups[group].append((leaf, amount))
    for group, leaves in groups.items():
        parts = sorted((entry for entry in leaves if entry[0]), key=lambda entry: (-entry[1], entry[0]))
        total = sum((amount for _, amount in leaves), Decimal(0))
        yield Share(group or NOBODY, total, group in UNASSIGNED, parts if len(parts) > 1 else [])


def _divided(bill: Bill, by: By) -> dict[tuple[str, str], Fraction]:
    parts: defaultdict[tuple[str, str], Fraction] = defaultdict(Fraction)
    for charge in bill.charges:
        words = " ".join(part for part in (charge.what, charge.purchase, charge.zone and f"in {charge.zone}") if part)
        name = _bought(charge, by), words if by is By.KIND else f"{charge.kind}: {words}".removesuffix(": ")
        parts[name] += charge.amount
    return parts


def _bought(charge: Charge, by: By) -> str:
    if by is By.KIND:
        return f"nodes, {charge.purchase}" if charge.kind == NODE else charge.kind
    if by is By.POOL:
        return f"{charge.what} ({charge.purchase})" if charge.purchase else SHARED
    return charge.zone or SHARED


def _paid(
    variant: Variant, bill: Bill, plan: tuple[FitProblem, FitSolution], division: Division
) -> dict[tuple[str, str], Fraction]:
    rows = {row.full_name: row for row in demand_rows(variant.study)}
    weights = {name: weight(row.request.cpu_millicores, row.request.memory_bytes) for name, row in rows.items()}
    by = division.by
    shares = shared_out(bill, *plan, None if division.measure is Measure.DOMINANT else CORE_AS_4_GIB)
    parts: defaultdict[tuple[str, str], Fraction] = defaultdict(Fraction)
    for payer, amount in (spread(shares) if division.spread_out else shares).items():
        for name, part in _members(payer, amount, weights):
            group = _group(name, rows, division), "" if by is By.WORKLOAD or name not in rows else name
            parts[group] += part
    return parts


_MOST_KNOWN = 32
_known: dict[int, Mapping[str, Fraction]] = {}
"""Who pays for what of the fits that were looked at last: thousands of nodes take seconds, and a stored fit never changes."""


def month_shares(fit: Fit, plan: tuple[FitProblem, FitSolution]) -> Mapping[str, Fraction]:
    """Return what everybody pays a month of a fit's nodes; rows that are kept together are one payer still."""
    if fit.pk in _known:
        return _known[fit.pk]
    found = shared_out(bill_of(*plan), *plan)
    # A level's fit is part of a design and has no number of its own.
    if fit.pk:
        # Threads of a process share this: two may both find a plan unknown, and both work it out.
        while len(_known) >= _MOST_KNOWN:
            _known.pop(next(iter(_known), 0), None)
        _known[fit.pk] = found
    return found


def month_by_workload(shares: Mapping[str, Fraction], weights: Mapping[str, Fraction]) -> dict[str, Decimal]:
    """Return what each workload's replicas cost a month to the cent; what nobody asks for is in none of them.

    Parameters
    ----------
    shares
        Who pays what a month, as ``month_shares`` has it.
    weights
        By workload, how much of what rows that are kept together cost one replica of it bears.

    """
    paid: defaultdict[str, Fraction] = defaultdict(Fraction)
    for payer, amount in shares.items():
        for name, part in _members(payer, amount, weights):
            if name in weights:
                paid[name] += part
    return rounded(paid)


def weight(cpu_millicores: int, memory_bytes: int) -> Fraction:
    """Return how much a request weighs beside others: a core as much as 4 GiB, a common proportion."""
    return Fraction(cpu_millicores, 1000) + Fraction(memory_bytes, 2**32)


def _members(payer: str, amount: Fraction, weights: Mapping[str, Fraction]) -> Iterator[tuple[str, Fraction]]:
    """Yield who pays an amount: of rows that are kept together each in proportion to what it requests."""
    members = {name: times * weights[name] for name, times in parted_name(payer) if name in weights}
    if payer in UNASSIGNED or not members:
        yield payer, amount
        return
    whole = sum(members.values(), Fraction(0))
    for name, own in members.items():
        yield name, amount * own / whole if whole else amount / len(members)


def _group(name: str, rows: Mapping[str, Demand], division: Division) -> str:
    row, by = rows.get(name), division.by
    if row is None or by is By.WORKLOAD:
        return name
    if by is By.LABEL:
        return row.labels.get(division.label, "")
    return {By.NAMESPACE: row.namespace, By.OWNER: row.owner, By.SERVICE: row.service, By.JOURNEY: row.journey}[by]

"""Plans of a study beside each other: newest plans of variants, earlier ones, and what runs."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from decimal import Decimal
from functools import cached_property, partial
from typing import Any

from django.db.models import prefetch_related_objects

from accounts.action import Missing
from measured.adapt import running_of
from rombel.comparison import InputChange, Side, ZoneChange, best, input_changes, told, zone_changes
from rombel.errors import refuse
from rombel.fit import FitSummary, summarise
from rombel.ledger import Billed, Bridge, bridge
from rombel.model.demand import Demand
from rombel.model.drill import Mark
from rombel.model.fit_problem import FitProblem, OfferKey, Purchase
from rombel.model.fit_solution import counted
from rombel.model.quantity import HOURS_PER_MONTH
from rombel.preflight import Finding, Grade
from runs.answers import played_drills
from runs.availability import downtime_over
from runs.bills import billed
from runs.findings import Occasion, findings
from runs.inputs import stated_rows
from runs.models import Fit
from runs.queries import WITHOUT_ANSWER, latest_plan, present_digest
from runs.stored import stored_plan
from studies.adapt import demand_rows, supply_of
from studies.edits import variant_fields
from studies.models import Study, Variant
from studies.queries import variant_by_id
from studies.wording import NOTHING, field_name, parts_of, region_words, shown_parts

MOST = 4
"""More than four plans beside each other nobody reads."""
MOST_LOOKED_AT = 40
EARLIER = 6
"""So many earlier plans of a variant are offered."""
RUNNING = "running"


@dataclass(frozen=True)
class Column:
    """One plan of a comparison, and what is looked at of it; what runs has neither variant nor plan.

    ``key`` names it in an address: ``v3`` the newest plan of a variant, ``f7`` a certain plan, ``running`` what runs.
    """

    key: str
    name: str
    variant: Variant | None
    fit: Fit | None
    side: Side
    occasion: Occasion | None = None

    @property
    def problem(self) -> FitProblem | None:
        """Return what was asked."""
        return None if self.fit is None else stored_plan(self.fit)[0]

    @cached_property
    def summary(self) -> FitSummary | None:
        """Return the plan in figures."""
        return None if self.fit is None else summarise(*stored_plan(self.fit))

    @cached_property
    def billed(self) -> Billed | None:
        """Return the plan with its month's bill; an earlier plan is billed with the fees of today."""
        return None if self.fit is None else billed(self.fit)

    @cached_property
    def found(self) -> list[Finding]:
        """Return what pre-flight finds of it."""
        return [] if self.occasion is None else findings(self.occasion)

    @cached_property
    def is_current(self) -> bool:
        """Return whether the plan is of the variant as it stands."""
        return self.variant is None or (self.fit is not None and present_digest(self.variant)[0] == self.fit.digest)

    @cached_property
    def broken_drills(self) -> int | None:
        """Return how many drills broke the plan; None: they were not played on it."""
        if self.fit is None:
            return None
        played = played_drills(self.fit)
        return None if played is None else sum(mark is Mark.BROKEN for _, mark in played)


@dataclass(frozen=True, slots=True)
class Figure:
    """A line of figures, one a column (None: not known); ``less``: less is better, None: neither is."""

    name: str
    unit: str
    values: Sequence[Decimal | float | None]
    less: bool | None

    @property
    def best(self) -> list[int]:
        """Return the columns with the best figure; none where all that are known are equal."""
        return [] if self.less is None else best(self.values, less=self.less)


@dataclass(frozen=True)
class Against:
    """What a column has otherwise than the first one."""

    first: Column
    column: Column
    sentences: Sequence[str]
    inputs: Sequence[InputChange]
    zones: Sequence[ZoneChange]

    @cached_property
    def bridge(self) -> Bridge | None:
        """Return what leads from the first one's bill to this one's; None: one of them is no plan. Of large plans it takes longest."""
        before, after = self.first.billed, self.column.billed
        return None if before is None or after is None else bridge(before, after)


@dataclass(frozen=True)
class Comparison:
    """Plans beside each other; all are told against the first."""

    study: Study
    columns: Sequence[Column]
    against: Sequence[Against]
    choices: Sequence[tuple[str, str, Sequence[str]]]
    offered: Sequence[tuple[str, str, datetime | None]]

    @cached_property
    def figures(self) -> list[Figure]:
        """Return the lines of figures."""
        return list(_figures(self.columns))

    @property
    def undo(self) -> str | None:
        """Return what undo would take back; None: nothing."""
        last = self.study.edits.filter(undone=False).last()
        return None if last is None else last.summary


def compared(study: Study, keys: Sequence[str]) -> Comparison:
    """Return plans of a study beside each other, in the order of their keys; none stated: the reference and the next variant with a plan.

    Raises
    ------
    InputRefused
        When there are more than four, or one twice.
    Missing
        When there is no such plan.

    """
    offered = list(_offered(study))
    keys = list(keys) or [key for key, _, _ in offered if key.startswith("v")][:2]
    if len(keys) > MOST or len({*keys}) < len(keys):
        raise refuse("compare.keys", "of", f"At most {MOST} plans are compared, each once.", "Leave some out.")
    # Rows are the study's: read once for all of its variants.
    prefetch_related_objects([study], "workloads")
    rows = demand_rows(study)
    stated = stated_rows(study)
    columns = [_column(study, key, rows, stated) for key in keys]
    if not columns:
        raise Missing("There is no plan of this study yet.")
    first, others = columns[0], columns[1:]
    return Comparison(
        study,
        columns,
        [_against(first, column) for column in others],
        list(_choices(columns)),
        offered,
    )


def _offered(study: Study) -> Iterator[tuple[str, str, datetime | None]]:
    """Yield the key and name of everything that can be compared, and when it was computed: the reference first."""
    variants = sorted(study.variants.all(), key=lambda row: (not row.is_reference, row.position))
    # Without their texts, which nobody reads here; the newest answer comes first, and where that is no plan there is none.
    fields = ("pk", "created_at", "cost_per_hour", "status")
    answers = {
        variant.pk: list(variant.fits.order_by("-run_id", "-pk").values_list(*fields)[:MOST_LOOKED_AT])
        for variant in variants
    }
    for variant in variants:
        for _, at, _, status in answers[variant.pk][:1]:
            if status not in WITHOUT_ANSWER:
                yield f"v{variant.pk}", variant.name, at
    if study.running is not None:
        yield RUNNING, "what runs", study.running.read_at
    for variant in variants:
        own = [answer for answer in answers[variant.pk] if answer[3] not in WITHOUT_ANSWER]
        # A run stores a quick answer and the whole one: of equal costs one is enough.
        seen = {cost for _, _, cost, _ in own[:1]}
        for pk, at, cost, _ in own[1:]:
            if cost not in seen and len(seen) <= EARLIER:
                seen.add(cost)
                yield f"f{pk}", f"{variant.name}, {at:%Y-%m-%d %H:%M}", at


def _column(study: Study, key: str, rows: list[Demand], stated: str) -> Column:
    kind, number = key[:1], key[1:]
    if key == RUNNING and study.running is not None:
        return Column(key, "what runs", None, None, running_side(study))
    row: Fit | None = None
    if kind == "v" and number.isdecimal():
        found = study.variants.filter(pk=int(number)).first()
        row = None if found is None else latest_plan(found)
    elif kind == "f" and number.isdecimal():
        plans = Fit.objects.filter(pk=int(number), variant__study=study, variant__removed_at=None)
        row = plans.exclude(status__in=WITHOUT_ANSWER).select_related("stated").first()
    if row is None:
        raise Missing(f"This study has no plan '{key[:40]}'.")
    variant = variant_by_id(row.variant_id)
    name = variant.name if kind == "v" else f"{variant.name}, {row.created_at:%Y-%m-%d %H:%M}"
    variant.study = study
    at = Occasion(variant, row)
    at.rows = rows
    return Column(key, name, variant, row, _side(name, at, row, stated), at)


def _side(name: str, at: Occasion, fit: Fit, stated: str) -> Side:
    nodes = counted(at.nodes)
    cost = (fit.cost_per_hour * HOURS_PER_MONTH + at.fees_per_month).quantize(Decimal("0.01"))
    return Side(name, at.variant.study.currency, cost, nodes, downtime_over(at.variant, fit, stated))


def running_side(study: Study) -> Side:
    """Return what runs, at the reference's prices on demand and with its fees; its cost is not known where a type is not sold there."""
    running = running_of(study.running) if study.running else None
    counts = {} if running is None else running.counts()
    # A listing does not say how nodes are paid for: on demand is the dearest it can be.
    nodes = {(name, Purchase.ON_DEMAND, zone): count for (name, zone), count in counts.items()}
    return Side("what runs", study.currency, _price_of(study, nodes), nodes)


def _price_of(study: Study, nodes: Mapping[OfferKey, int]) -> Decimal | None:
    found = study.variants.filter(is_reference=True).first()
    if found is None or found.region_id is None:
        return None
    reference = variant_by_id(found.pk)
    sold = {
        (entry.name, offer.purchase, offer.zone): offer.price_per_hour
        for entry in supply_of(reference).types
        for offer in entry.offers
    }
    # A sum without some of its nodes would be a price of nothing that runs.
    if any(key not in sold for key in nodes):
        return None
    hourly = sum((sold[key] * count for key, count in nodes.items()), Decimal(0))
    # The control plane, volumes and the study's own fees are paid whichever nodes run.
    fees = Occasion(reference, latest_plan(reference)).fees_per_month
    return (hourly * HOURS_PER_MONTH + fees).quantize(Decimal("0.01"))


def _against(first: Column, other: Column) -> Against:
    asked = None
    if first.problem is not None and other.problem is not None:
        asked = input_changes(first.problem, other.problem)
    sentences = told(first.side, other.side, asked)
    if asked is None:
        # What runs was asked for by nobody's problem, so no reason can be told, only how its price came about.
        sentences.append("What runs is priced on demand, at the reference's price list and with its fees.")
    return Against(first, other, sentences, asked or [], zone_changes(first.side, other.side))


def _figures(columns: Sequence[Column]) -> Iterator[Figure]:
    def line(name: str, unit: str, value: Callable[[Column], Any], less: bool | None = True) -> Figure:
        return Figure(name, unit, [value(column) for column in columns], less)

    def of_plan(value: Callable[[FitSummary], Any]) -> Callable[[Column], Any]:
        return lambda column: None if column.summary is None else value(column.summary)

    yield line("cost a month", "money", lambda column: column.side.cost)
    yield line("above the floor", "percent", of_plan(lambda summary: 100 * summary.gap))
    # Neither more nor fewer nodes are better by themselves.
    yield line("nodes", "count", lambda column: sum(column.side.nodes.values()), None)
    yield line("pools", "count", lambda column: len({key[:2] for key in column.side.nodes}), None)
    for name in sorted({name for column in columns for name in column.side.down}):
        yield line(f"{name}, down a month", "minutes", partial(_down, name))
    for resource, words in (("cpu_millicores", "CPU"), ("memory_bytes", "memory")):
        yield line(f"{words} left free", "percent", of_plan(partial(_free, resource)), None)
    for grade, words in ((Grade.STOP, "blockers"), (Grade.CARE, "warnings")):
        yield line(words, "count", partial(_found, grade))
    yield line("drills that break it", "count", lambda column: column.broken_drills)


def _down(journey: str, column: Column) -> float | None:
    return column.side.down.get(journey)


def _free(resource: str, summary: FitSummary) -> float:
    return 100 * summary.room_left.get(resource, 0.0)


def _found(grade: Grade, column: Column) -> int | None:
    # What a variant states beside its plan is of today, and says nothing of an earlier plan.
    return sum(each.grade is grade for each in column.found) if column.key.startswith("v") else None


def _choices(columns: Sequence[Column]) -> Iterator[tuple[str, str, Sequence[str]]]:
    """Yield the choices that differ: the field, what it is, and its value in each column; what runs and earlier plans state none.

    Of a choice of several parts those that differ are told, as it is the whole that is taken over.
    """
    stated = [_stated(column.variant) if column.key.startswith("v") and column.variant else None for column in columns]
    known = [own for own in stated if own is not None]
    for field in known[0] if known else ():
        parts = sorted({part for own in known for part in own[field]})
        differing = [part for part in parts if len({own[field].get(part, NOTHING) for own in known}) > 1]
        if differing:
            values = ["" if own is None else shown_parts(own[field], differing) for own in stated]
            yield field, field_name(field), values


def _stated(variant: Variant) -> dict[str, dict[str, str]]:
    """Return every choice of a variant as text by part; those of one part have one without a name."""
    fields = variant_fields(variant)
    region = variant.region
    fields["region_id"] = None if region is None else region_words(region)
    return {name: parts_of(name, value) for name, value in fields.items()}

"""What to commit to for a variant's plan: hours of use from its levels, its rehearsal or the plan alone, and the terms of its price list."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum
from fractions import Fraction

from accounts.action import Missing
from catalogue.adapt import listed_term, plain
from catalogue.models import Offer, Region
from catalogue.queries import interruptions
from rombel.formats import read_solution
from rombel.ledger import MONTH, Place, Proposal, Sample, SoldNode, proposals, whole_nodes
from rombel.model.compilation import asked_for
from rombel.model.fit_problem import OfferKey, Purchase
from rombel.model.fit_solution import FitSolution, NodeBatch
from runs.level_bill import design_of
from runs.models import Fit, Question
from runs.queries import latest_inquiry, latest_plan
from runs.questions.asking import QUESTIONS
from runs.questions.rehearsal import Rehearsed
from runs.stored import stored_plan
from studies.adapt import exchange_for
from studies.models import Variant


class Source(StrEnum):
    """Where the hours of use are from."""

    REHEARSAL = "rehearsal"
    LEVELS = "levels"
    PLAN = "plan"


@dataclass(frozen=True, slots=True)
class Interrupted:
    """An interruptible pool in a zone: what it saves a month, and what is to be expected of it.

    ``interruptions`` and ``moved`` a month, of its nodes and of their replicas; None: the price list does not say how often.
    """

    offer: OfferKey
    nodes: int
    saves: Fraction | None
    interruptions: float | None
    moved: float | None
    workloads: Mapping[str, int]


@dataclass(frozen=True, slots=True)
class Committing:
    """Every proposal, which sources there are, and what interruptible nodes save and risk."""

    currency: str
    source: Source
    sources: Sequence[Source]
    held: Mapping[str, int]
    proposals: Sequence[Proposal]
    interruptible: Sequence[Interrupted]
    may_be_interrupted: Sequence[tuple[str, float]]


def committing(variant: Variant, source: Source | None, yearly_rate: Fraction) -> Committing:
    """Return what the price list's terms would do for a variant's plan; without a source the first that there is.

    Raises
    ------
    Missing
        When there is no plan, or the source was not computed for it.

    """
    fit = latest_plan(variant)
    if fit is None or variant.region is None:
        raise Missing(f"Variant {variant.pk} has no plan, so there is nothing to commit to.")
    problem, solution = stored_plan(fit)
    # The best source first: a rehearsal knows each hour, levels their shares, the plan one moment.
    known = dict(_sources(variant, fit, solution))
    if source is not None and source not in known:
        raise Missing(f"The {source} of this plan is not computed yet.")
    chosen = source or next(iter(known))
    sold, cheaper = (_sold(variant, variant.region, kind) for kind in (Purchase.ON_DEMAND, Purchase.INTERRUPTIBLE))
    held = {name: int(count) for name, count in variant.beside.get("held", {}).items()}
    terms = [listed_term(row) for row in variant.region.edition.terms.all()]
    return Committing(
        currency=variant.study.currency,
        source=chosen,
        sources=list(known),
        held=held,
        proposals=proposals(known[chosen], sold, terms, held=held, yearly_rate=yearly_rate),
        interruptible=list(_interrupted(solution, sold, cheaper, dict(interruptions(variant.region)))),
        may_be_interrupted=[(w.name, w.interruptible_share) for w in asked_for(problem) if w.interruptible_share > 0],
    )


def _sources(variant: Variant, fit: Fit, solution: FitSolution) -> Iterator[tuple[Source, list[Sample]]]:
    """Yield the samples of every source that was computed: of the rehearsal of this plan, of the levels as they stand, of the plan itself."""
    row = latest_inquiry(variant, Question.REHEARSAL)
    # Of this very plan: hours of other nodes say nothing about these.
    played = QUESTIONS[Question.REHEARSAL].answer_of(row) if row is not None and row.fit_id == fit.pk else None
    if isinstance(played, Rehearsed) and played.outcome is not None:
        yield Source.REHEARSAL, _played(played)
    design = design_of(variant)
    if design is not None and design.solutions:
        shares = {level.level: Fraction(level.share).limit_denominator(10_000) for level in design.levels}
        samples = [
            Sample(shares[level] * MONTH, _by_place(read_solution(text).nodes))
            for level, text in design.solutions.items()
            if shares.get(level)
        ]
        if samples:
            yield Source.LEVELS, samples
    yield Source.PLAN, [Sample(MONTH, _by_place(solution.nodes))]


def _played(played: Rehearsed) -> list[Sample]:
    """Return a sample for each of the rehearsal, of nodes that could be committed to."""
    outcome = played.outcome
    assert outcome is not None
    hours = Fraction(outcome.sample_s, 3600)
    through: defaultdict[Place, list[float]] = defaultdict(lambda: [0.0] * len(outcome.asked))
    for pool in outcome.pools:
        # What may be taken back is cheap already, and nobody sells a commitment to it.
        if pool.offer[1] is not Purchase.INTERRUPTIBLE:
            own = through[pool.offer[0], pool.offer[2]]
            for place, nodes in enumerate(pool.nodes):
                own[place] += nodes
    # Means of an hour are parts of nodes; a commitment is to whole ones that run for part of it.
    columns = {place: whole_nodes(nodes, hours) for place, nodes in through.items() if any(nodes)}
    return [
        Sample(hours, {place: uses[number].amount for place, uses in columns.items()})
        for number in range(len(outcome.asked))
    ]


def _by_place(nodes: Sequence[NodeBatch]) -> dict[Place, Fraction]:
    counts: Counter[Place] = Counter()
    for batch in nodes:
        if batch.purchase is not Purchase.INTERRUPTIBLE:
            counts[batch.instance_type, batch.zone] += batch.count
    return {place: Fraction(count) for place, count in counts.items()}


def _sold(variant: Variant, region: Region, purchase: Purchase) -> dict[Place, SoldNode]:
    """Return what each type costs in each zone by a kind of purchase, in the study's currency."""
    convert = exchange_for(variant.study, region.edition.currency)
    rows = Offer.objects.filter(zone__region=region, purchase=purchase)
    fields = ("instance_type__name", "zone__name", "price_per_hour", "instance_type__family")
    return {
        (name, zone): SoldNode(plain(convert(price)), family) for name, zone, price, family in rows.values_list(*fields)
    }


def dearest_on_demand(variant: Variant) -> dict[str, Fraction]:
    """Return what a node of every type that is sold costs on demand in the zone where it costs most, by the hour."""
    if variant.region is None:
        return {}
    dearest: dict[str, Fraction] = {}
    for (name, _), sold in _sold(variant, variant.region, Purchase.ON_DEMAND).items():
        dearest[name] = max(dearest.get(name, Fraction(0)), Fraction(sold.price))
    return dearest


def _interrupted(
    solution: FitSolution,
    sold: Mapping[Place, SoldNode],
    cheaper: Mapping[Place, SoldNode],
    rates: Mapping[OfferKey, float],
) -> Iterator[Interrupted]:
    nodes: Counter[OfferKey] = Counter()
    replicas: defaultdict[OfferKey, Counter[str]] = defaultdict(Counter)
    for batch in solution.nodes:
        if batch.purchase is Purchase.INTERRUPTIBLE:
            nodes[batch.offer] += batch.count
            replicas[batch.offer].update({name: count * batch.count for name, count in batch.replicas.items()})
    for offer, count in nodes.items():
        place, rate = (offer[0], offer[2]), rates.get(offer)
        saves = None
        # A type that is sold one way only saves nothing that could be told.
        if place in sold and place in cheaper:
            saves = count * Fraction(sold[place].price - cheaper[place].price) * MONTH
        # Each node is taken back at the list's rate, and with it what runs there.
        often = None if rate is None else rate * float(MONTH)
        moved = None if often is None else often * sum(replicas[offer].values())
        yield Interrupted(offer, count, saves, None if often is None else often * count, moved, replicas[offer])


def in_words(proposal: Proposal, currency: str) -> str:
    """Return a proposal as a sentence."""
    term, worth = proposal.term, proposal.worth
    if not proposal.best.amount:
        return f"No level of {proposal.target} pays: its use is under {term.price_share:.0%} of the hours."
    amount = float(proposal.best.amount)
    what = (
        f"{amount:.0f} {proposal.target}"
        if proposal.in_nodes
        else f"{amount:.2f} {currency} an hour of {proposal.target}"
    )
    breaks = (
        "does not break even" if worth.break_even_month is None else f"breaks even in month {worth.break_even_month}"
    )
    saves = f"saves {float(worth.saves_per_month):,.0f} {currency} a month".replace(",", "\u202f")
    return f"Commit to {what} for {term.months} months: {saves}, pays from {term.price_share:.0%} use, {breaks}."

"""Commitments and comparisons of bills as they are sent."""

from __future__ import annotations

from decimal import Decimal
from fractions import Fraction
from typing import Any

from rombel.ledger import Compared, Proposal, in_cents, rounded, taken_together
from runs.actual import ActualTold
from runs.bridges import BridgeTold
from runs.commitments import Committing, Interrupted, in_words


def cents(amount: Fraction) -> Decimal:
    """Return an amount to the cent, half to even."""
    return rounded({0: amount})[0]


def shown_commitments(found: Committing) -> dict[str, Any]:
    """Return proposals and interruptible pools as they are sent."""
    return {
        "currency": found.currency,
        "source": found.source,
        "sources": found.sources,
        "held": found.held,
        "together": {scope: cents(saves) for scope, saves in taken_together(found.proposals).items()},
        "proposals": [_proposal(entry, found.currency) for entry in found.proposals],
        "interruptible": [_interrupted(entry) for entry in found.interruptible],
        "may_be_interrupted": [{"workload": name, "share": share} for name, share in found.may_be_interrupted],
    }


def shown_bridge(told: BridgeTold) -> dict[str, Any]:
    """Return a bridge as it is sent; its parts are rounded so that they sum to the difference of the rounded totals."""
    found = told.bridge
    return {
        "currency": told.after.variant.study.currency,
        "fit_id": told.before.pk,
        "edition_id": told.edition,
        "before_name": told.names[0],
        "after_name": told.names[1],
        **in_cents(found),
        "lines": [{"name": name, "before": cents(one), "after": cents(other)} for name, one, other in found.lines],
        "others": [{"fit_id": fit.pk, "name": name} for fit, name in told.others],
        "lists": [{"edition_id": entry.pk, "name": name} for entry, name in told.lists],
        "unsold": list(told.unsold),
    }


def shown_actual(told: ActualTold) -> dict[str, Any]:
    """Return a planned and a billed month as they are sent; lines and totals are rounded so that they sum."""
    columns = {
        name: rounded({place: getattr(each, name) or Fraction(0) for place, each in enumerate(told.compared)})
        for name in ("planned", "billed")
    }
    return {
        "currency": told.currency,
        "month": told.row.month,
        "beside": told.beside,
        "hours": str(told.hours),
        "planned": sum(columns["planned"].values(), Decimal(0)),
        "billed": sum(columns["billed"].values(), Decimal(0)),
        "compared": [
            _compared(each, columns["planned"][n], columns["billed"][n]) for n, each in enumerate(told.compared)
        ],
    }


def _compared(each: Compared, planned: Decimal, billed: Decimal) -> dict[str, Any]:
    # The rest of the difference is the price's, so that both sum to what is shown.
    by_amount = None if each.by_amount is None else cents(each.by_amount)
    return {
        "item": each.item,
        "purchase": each.purchase,
        "zone": each.zone,
        "planned": None if each.planned is None else planned,
        "billed": None if each.billed is None else billed,
        "difference": billed - planned,
        "by_amount": by_amount,
        "by_price": None if by_amount is None else billed - planned - by_amount,
    }


def _proposal(entry: Proposal, currency: str) -> dict[str, Any]:
    term, worth = entry.term, entry.worth
    return {
        "term": term.name,
        "months": term.months,
        "price_share": float(term.price_share),
        "upfront_share": float(term.upfront_share),
        "target": entry.target,
        "zones": entry.zones,
        "in_nodes": entry.in_nodes,
        "best": float(entry.best.amount),
        "up_to": float(entry.up_to),
        "on_demand": cents(entry.on_demand),
        "saves": cents(worth.saves_per_month),
        "after_fall": cents(worth.after_fall_per_month),
        "paid_at_once": cents(worth.paid_at_once),
        "net_present_value": cents(worth.net_present_value),
        "break_even_month": worth.break_even_month,
        "words": in_words(entry, currency),
        "uses": [{"amount": float(use.amount), "hours": float(use.hours)} for use in entry.uses],
        "levels": [
            {"amount": float(level.amount), "cost": cents(level.cost), "used": float(level.used)}
            for level in entry.levels
        ],
    }


def _interrupted(entry: Interrupted) -> dict[str, Any]:
    return {
        "instance_type": entry.offer[0],
        "zone": entry.offer[2],
        "nodes": entry.nodes,
        "saves": None if entry.saves is None else cents(entry.saves),
        "interruptions": entry.interruptions,
        "moved": entry.moved,
        "workloads": dict(entry.workloads),
    }

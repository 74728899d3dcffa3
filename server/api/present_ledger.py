"""Commitments as they are sent."""

from __future__ import annotations

from decimal import Decimal
from fractions import Fraction
from typing import Any

from rombel.ledger import Proposal, rounded
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
        "proposals": [_proposal(entry, found.currency) for entry in found.proposals],
        "interruptible": [_interrupted(entry) for entry in found.interruptible],
        "may_be_interrupted": [{"workload": name, "share": share} for name, share in found.may_be_interrupted],
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

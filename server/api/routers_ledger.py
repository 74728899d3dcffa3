"""The addresses of the ledger: look up, return."""

from __future__ import annotations

from decimal import Decimal
from fractions import Fraction
from typing import Annotated, Any

from django.http import HttpRequest, HttpResponse
from ninja import Router
from pydantic import Field

from api.download import download
from api.present_ledger import shown_commitments
from api.present_supply import sold_beside
from api.schemas_ledger import BillOut, CommitmentsOut
from catalogue.adapt import plain
from handover.bills import charges_file, shares_file
from runs.bills import BillTold, By, told_bill
from runs.commitments import Source, committing
from studies.queries import variant_by_id

ledger = Router()
Rate = Annotated[Decimal, Field(ge=0, le=100, decimal_places=2)]
"""Percent a year."""


@ledger.get("/variants/{variant_id}/bill", operation_id="getBill", response=BillOut)
def get_bill(
    request: HttpRequest, variant_id: int, period: str = "month", by: By = By.KIND, spread: bool = False
) -> Any:
    """Return the bill of a variant's newest plan.

    ``period``: ``month`` (730 hours), a calendar month such as ``2028-02``, or the time until which it is. ``spread``: what nobody asks for is
    laid on those who pay, in proportion.
    """
    return shown(told_bill(variant_by_id(variant_id), period, by, spread))


@ledger.get("/variants/{variant_id}/bill.csv", operation_id="getBillFile", response=str)
def get_bill_file(request: HttpRequest, variant_id: int, period: str = "month") -> HttpResponse:
    """Return the lines of a bill as CSV."""
    return download(*charges_file(told_bill(variant_by_id(variant_id), period, By.KIND, False)))


@ledger.get("/variants/{variant_id}/showback.csv", operation_id="getShowback", response=str)
def get_showback(
    request: HttpRequest, variant_id: int, period: str = "month", by: By = By.OWNER, spread: bool = False
) -> HttpResponse:
    """Return who pays what of a bill as CSV."""
    return download(*shares_file(told_bill(variant_by_id(variant_id), period, by, spread)))


@ledger.get("/variants/{variant_id}/commitments", operation_id="getCommitments", response=CommitmentsOut)
def get_commitments(
    request: HttpRequest, variant_id: int, source: Source | None = None, rate: Rate = Decimal(0)
) -> Any:
    """Return what to commit to, from the hours of a source (none stated: the first that is computed), at a yearly rate in percent."""
    return shown_commitments(committing(variant_by_id(variant_id), source, Fraction(rate) / 100))


def shown(told: BillTold) -> dict[str, Any]:
    """Return a bill as it is sent."""
    return {
        "fit_id": told.fit.pk,
        "currency": told.bill.currency,
        "words": told.words,
        "hours": _amount(told.bill.hours),
        "total": told.total,
        "charges": [
            {
                **{
                    name: getattr(charge, name)
                    for name in ("kind", "what", "purchase", "zone", "quantity", "unit", "source")
                },
                "price": format(plain(charge.price), "f"),
                "times": _amount(charge.times),
                "amount": amount,
            }
            for charge, amount in zip(told.bill.charges, told.amounts, strict=True)
        ],
        "shares": [
            {
                "name": share.name,
                "amount": share.amount,
                "unassigned": share.unassigned,
                "parts": [{"name": name, "amount": amount} for name, amount in share.parts],
            }
            for share in told.shares
        ],
        "left_out": told.left_out,
        "sold": list(sold_beside(told.fit.variant)),
    }


def _amount(number: Fraction) -> str:
    return str(number.numerator) if number.denominator == 1 else f"{float(number):.4f}"

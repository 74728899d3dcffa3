"""The addresses of the ledger: look up, return."""

from __future__ import annotations

from decimal import Decimal
from fractions import Fraction
from functools import partial
from typing import Annotated, Any

from django.http import HttpRequest, HttpResponse
from ninja import Query, Router, Schema, Status
from ninja.decorators import decorate_view
from pydantic import Field

from api.download import download
from api.kept import by_version
from api.present_ledger import cents, shown_actual, shown_bridge, shown_commitments
from api.present_supply import sold_beside
from api.schemas_ledger import ActualMonthOut, ActualOut, BillOut, BridgeOut, ChargesIn, CommitmentsOut
from api.session import user_of
from catalogue.adapt import plain
from handover.bills import charges_file, cost_data_file, shares_file
from runs.actions.take_charges import DropCharges, TakeCharges
from runs.actual import told_actual
from runs.bills import MONTH_NAME, BillTold, By, Division, Measure, counts_from_now, told_bill
from runs.bridges import told_bridge
from runs.commitments import Source, committing
from runs.level_bill import bill_by_level
from studies.queries import variant_by_id

ledger = Router()
Rate = Annotated[Decimal, Field(ge=0, le=100, decimal_places=2)]
"""Percent a year."""


class BillQuery(Schema):
    """How a bill is divided, and for which period it is."""

    period: str = MONTH_NAME
    by: By = By.KIND
    spread: bool = False
    label: Annotated[str, Field(max_length=320)] = ""
    measure: Measure = Measure.DOMINANT

    def told(self, variant_id: int) -> BillTold:
        """Return the bill."""
        return told_bill(
            variant_by_id(variant_id), self.period, Division(self.by, self.spread, self.label, self.measure)
        )


@ledger.get("/variants/{variant_id}/bill", operation_id="getBill", response={200: BillOut, 304: None})
@decorate_view(partial(by_version, unless=lambda request: counts_from_now(request.GET.get("period", MONTH_NAME))))
def get_bill(request: HttpRequest, variant_id: int, asked: Query[BillQuery]) -> Any:
    """Return the bill of a variant's newest plan.

    ``period``: ``month`` (730 hours), a calendar month such as ``2028-02``, or the time until which it is. ``spread``: what nobody asks for is
    laid on those who pay, in proportion.
    """
    return shown(asked.told(variant_id))


@ledger.get("/variants/{variant_id}/bill.csv", operation_id="getBillFile", response=str)
def get_bill_file(request: HttpRequest, variant_id: int, period: str = "month") -> HttpResponse:
    """Return the lines of a bill as CSV."""
    return download(*charges_file(told_bill(variant_by_id(variant_id), period, Division())))


@ledger.get("/variants/{variant_id}/showback.csv", operation_id="getShowback", response=str)
def get_showback(request: HttpRequest, variant_id: int, asked: Query[BillQuery]) -> HttpResponse:
    """Return who pays what of a bill as CSV."""
    return download(*shares_file(asked.told(variant_id)))


@ledger.get("/variants/{variant_id}/commitments", operation_id="getCommitments", response=CommitmentsOut)
def get_commitments(
    request: HttpRequest, variant_id: int, source: Source | None = None, rate: Rate = Decimal(0)
) -> Any:
    """Return what to commit to, from the hours of a source (none stated: the first that is computed), at a yearly rate in percent."""
    return shown_commitments(committing(variant_by_id(variant_id), source, Fraction(rate) / 100))


@ledger.get("/variants/{variant_id}/bridge", operation_id="getBridge", response=BridgeOut)
def get_bridge(request: HttpRequest, variant_id: int, before: int | None = None, edition: int | None = None) -> Any:
    """Return why the newest plan costs what it does beside another plan of the study, or beside itself at another edition of the price list.

    Neither stated: beside the first of the others.
    """
    return shown_bridge(told_bridge(variant_by_id(variant_id), before, edition))


@ledger.get("/variants/{variant_id}/cost-data.csv", operation_id="getCostData", response=str)
def get_cost_data(request: HttpRequest, variant_id: int, month: str) -> HttpResponse:
    """Return the planned month as charges by day, CSV of the FinOps Open Cost and Usage Specification 1.0."""
    return download(*cost_data_file(variant_by_id(variant_id), month))


@ledger.get("/variants/{variant_id}/charges", operation_id="getActualMonths", response=list[ActualMonthOut])
def get_actual_months(request: HttpRequest, variant_id: int) -> Any:
    """Return the months of which actual charges were taken."""
    rows = variant_by_id(variant_id).actual_months.select_related("taken_by")
    return [{"month": r.month, "origin": r.origin, "lines": r.lines, "taken_by": r.taken_by.username} for r in rows]


@ledger.post("/variants/{variant_id}/charges", operation_id="takeCharges", response={201: ActualOut})
def take_charges(request: HttpRequest, variant_id: int, body: ChargesIn) -> Any:
    """Take a month of actual charges, whole or not at all; a month that was taken before is replaced."""
    variant = variant_by_id(variant_id)
    TakeCharges(user_of(request), variant, body.month, body.text, body.origin).run()
    return Status(201, shown_actual(told_actual(variant, body.month)))


@ledger.get("/variants/{variant_id}/charges/{month}", operation_id="getActual", response=ActualOut)
def get_actual(request: HttpRequest, variant_id: int, month: str, beside: str = "") -> Any:
    """Return what was billed in a month, beside the plan or beside another month that was billed."""
    return shown_actual(told_actual(variant_by_id(variant_id), month, beside))


@ledger.delete("/variants/{variant_id}/charges/{month}", operation_id="dropCharges", response={204: None})
def drop_charges(request: HttpRequest, variant_id: int, month: str) -> Any:
    """Put a month of actual charges away."""
    DropCharges(user_of(request), variant_by_id(variant_id), month).run()
    return Status(204, None)


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
                **{name: getattr(charge, name) for name in ("kind", "what", "purchase", "zone", "unit", "source")},
                "quantity": _amount(Fraction(charge.quantity)),
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
        "labels": told.labels,
        "by_level": [
            {"level": level, "hours": float(hours), "cost": cents(Fraction(cost))}
            for level, hours, cost in bill_by_level(told.fit, told.bill.hours)
        ],
        "sold": list(sold_beside(told.fit.variant)),
    }


def _amount(number: Fraction) -> str:
    return str(number.numerator) if number.denominator == 1 else f"{float(number):.4f}"

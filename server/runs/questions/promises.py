"""What each promise costs, and which instance types stand by."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from decimal import Decimal

from jobs.control import Control
from rombel.formats import read_problem, write_problem
from rombel.inquiry import Alternative, PromisePrice, alternatives, price_promises
from rombel.model.quantity import HOURS_PER_MONTH
from rombel.plan import compile_problem
from runs.models import Question
from runs.questions.asking import Asked, Occasion, QuestionKind, month, question
from studies.adapt import sized_rows, supply_of, targets_of


@dataclass(frozen=True, slots=True)
class AllTypes:
    """The problem's text with every type that is sold, also those that a cheapest plan never needs."""

    all_types: str


@dataclass(frozen=True, slots=True)
class Price:
    """What a promise costs a month, what the floors prove of it, and the fit without it."""

    key: str
    words: str
    price: str
    least: str
    most: str
    without: str
    without_floor: str


@dataclass(frozen=True, slots=True)
class TypeAlternative:
    """Where an instance type stands beside the fit's; prices are by the hour."""

    instance_type: str
    purchase: str
    zone: str
    status: str
    nodes: int
    price_per_hour: str
    enters_at_per_hour: str
    dearer: float
    beside: str


@dataclass(frozen=True, slots=True)
class PromisePrices:
    """Promises dearest first, types nearest first, and by zone what a unit of a resource costs a month at the margin."""

    types: tuple[TypeAlternative, ...]
    unit_prices: Mapping[str, Mapping[str, float]]
    prices: tuple[Price, ...]


@question
class Promises(QuestionKind[AllTypes, PromisePrices]):
    """It is asked after every fit by itself, so it gives way to what a planner asks, and goes on where it was."""

    question = Question.PROMISES
    given_type, answer_type = AllTypes, PromisePrices
    priority = 1
    gives_way = True

    def gather(self, occasion: Occasion) -> AllTypes:
        """Return every type on offer."""
        variant = occasion.variant
        return AllTypes(write_problem(compile_problem(supply_of(variant), targets_of(variant), sized_rows(variant))))

    def answer(
        self, asked: Asked[AllTypes, PromisePrices], control: Control, keep: Callable[[PromisePrices], None]
    ) -> PromisePrices:
        """Return the prices; those that are known already are not computed again."""
        problem, solution = asked.fit
        # Alternatives come at once from the prices of a relaxation; promises take a fit each.
        found = alternatives(read_problem(asked.given.all_types), solution)
        units = {
            zone: {name: price * HOURS_PER_MONTH for name, price in row.items()}
            for zone, row in found.unit_prices.items()
        }
        prices = () if asked.so_far is None else asked.so_far.prices
        known = PromisePrices(tuple(_type(row) for row in found.types), units, prices)
        keep(known)

        def on_price(price: PromisePrice) -> None:
            nonlocal known
            prices = sorted([*known.prices, _price(price)], key=lambda row: -Decimal(row.price))
            known = replace(known, prices=tuple(prices))
            keep(known)

        price_promises(problem, solution, known={row.key for row in prices}, observer=control, on_price=on_price)
        return known


def _type(row: Alternative) -> TypeAlternative:
    price, enters = format(row.price_per_hour, "f"), format(row.enters_at_per_hour, "f")
    purchase, status = str(row.purchase), str(row.status)
    return TypeAlternative(
        row.instance_type, purchase, row.zone, status, row.nodes, price, enters, row.dearer, row.beside
    )


def _price(price: PromisePrice) -> Price:
    amounts = (
        price.price_per_hour,
        price.least_per_hour,
        price.most_per_hour,
        price.without_per_hour,
        price.without_floor_per_hour,
    )
    return Price(price.key, price.words, *(month(amount) for amount in amounts))

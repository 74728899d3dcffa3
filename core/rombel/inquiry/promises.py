"""The price of each promise: the same problem really fitted without it."""

from __future__ import annotations

from collections.abc import Callable, Collection
from dataclasses import dataclass, replace
from decimal import Decimal

from rombel.fit import FitObserver, FitParams, Progress, SearchParams, SilentObserver, fit
from rombel.inquiry.rules import Rule, rules_of
from rombel.model.fit_problem import FitProblem
from rombel.model.fit_solution import FitSolution

PARAMS = FitParams(search=SearchParams(work=13_000_000))
"""Of each fit: a little less than that of a variant, as a price is read to the euro and there are many."""


@dataclass(frozen=True, slots=True)
class PromisePrice:
    """What one promise costs an hour.

    Parameters
    ----------
    key, words
        Of the rule.
    price_per_hour
        The cost of the fit less the cost found without the promise; never below zero, as a fit that keeps the promise
        is one without it too.
    least_per_hour, most_per_hour
        What the floors of both prove: the price between the cheapest answers lies in here.
    without_per_hour, without_floor_per_hour
        Cost and floor without the promise.

    """

    key: str
    words: str
    price_per_hour: Decimal
    least_per_hour: Decimal
    most_per_hour: Decimal
    without_per_hour: Decimal
    without_floor_per_hour: Decimal


def price_promises(
    problem: FitProblem,
    solution: FitSolution,
    *,
    seed: int = 0,
    params: FitParams | None = None,
    known: Collection[str] = (),
    observer: FitObserver | None = None,
    on_price: Callable[[PromisePrice], None] | None = None,
) -> list[PromisePrice]:
    """Return the price of every promise and limit that is not known yet, dearest first.

    Parameters
    ----------
    problem, solution
        The fit.
    seed, params
        Of every fit without a promise.
    known
        Keys of rules whose price is known.
    observer
        Is told of the share of rules done; where it stops, the prices so far are returned.
    on_price
        Is called with each price as it is known.

    """
    # A price known from an earlier run is not computed again.
    rules, prices = rules_of(problem), []
    watch = _Parts(observer or SilentObserver(), solution, len(rules))
    watch.done = sum(rule.key in known for rule in rules)
    for rule in (rule for rule in rules if rule.key not in known):
        # A fit that was stopped half-way is no price.
        if watch.stopped:
            break
        price = _price(rule, problem, solution, seed, params, watch)
        watch.done += 1
        if price is not None and not watch.stopped:
            prices.append(price)
            if on_price is not None:
                on_price(price)
    return sorted(prices, key=lambda price: (-price.price_per_hour, price.key))


def _price(
    rule: Rule, problem: FitProblem, solution: FitSolution, seed: int, params: FitParams | None, watch: FitObserver
) -> PromisePrice | None:
    """Return the price of a rule; None where there is no answer without it, which is then no answer of ours."""
    found = fit(rule.dropped(problem), seed=seed, params=params or PARAMS, observer=watch)
    if not found.found:
        return None
    # The plan itself is an answer without the promise, so dropping it never costs more.
    without = min(found.cost_per_hour, solution.cost_per_hour)
    floor = min(found.floor_per_hour, without)
    nothing = Decimal(0)
    return PromisePrice(
        key=rule.key,
        words=rule.words,
        price_per_hour=solution.cost_per_hour - without,
        # Between the floors lies what is proved; the plain difference is between two answers found.
        least_per_hour=max(nothing, solution.floor_per_hour - without),
        most_per_hour=solution.cost_per_hour - floor,
        without_per_hour=without,
        without_floor_per_hour=floor,
    )


class _Parts:
    """Tells how many of several fits are done, and remembers a wish to stop."""

    def __init__(self, observer: FitObserver, solution: FitSolution, parts: int) -> None:
        self._observer, self._solution, self._parts = observer, solution, parts
        self.done, self.stopped = 0, False

    def on_progress(self, progress: Progress) -> bool:
        """Return whether to stop."""
        share = (self.done + progress.share) / max(1, self._parts)
        told = replace(
            progress,
            phase=f"{self.done + 1} of {self._parts}",
            share=share,
            cost_per_hour=self._solution.cost_per_hour,
            floor_per_hour=self._solution.floor_per_hour,
        )
        # Latched, as the fits that follow must not begin.
        self.stopped = self._observer.on_progress(told) or self.stopped
        return self.stopped

"""Which rules together leave no fit: a minimal set, found by leaving one out after the other."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from decimal import Decimal

from rombel.fit import FitObserver, FitParams, Progress, SilentObserver, fit, quick_floor
from rombel.inquiry.rules import Rule, rules_apart
from rombel.model.fit_problem import FitProblem
from rombel.model.fit_solution import FitStatus


@dataclass(frozen=True, slots=True)
class Conflict:
    """Rules that together leave no fit, each of them needed for that.

    ``rules`` empty: the demand finds no room even without any rule. ``proved``: of every set it was proved that there is no
    answer; else the search found none to one of them, which is no proof.
    ``to_drop``: those of them whose loss alone makes a fit possible; none where several conflicts stand.
    """

    rules: tuple[Rule, ...]
    proved: bool
    to_drop: tuple[Rule, ...]


def conflict(
    problem: FitProblem, *, seed: int = 0, params: FitParams | None = None, observer: FitObserver | None = None
) -> Conflict:
    """Return a minimal set of rules that leaves no fit for an infeasible problem, and which single rule to drop.

    The rules are left out one after the other; one without which the rest still conflicts is left out for good
    (deletion filter: Chinneck & Dravnieks 1991, ORSA J. Comput. 3:157-168, from memory). Twice as many tests as rules.
    """
    rules = rules_apart(problem)
    search = _Search(problem, rules, seed, params or FitParams(), observer or SilentObserver())
    kept = search.shrunk()
    # Dropping one rule of a minimal set need not help: other sets may conflict too. So each is tried beside all other rules.
    to_drop = [rule for rule in kept if search.feasible([other for other in rules if other is not rule])]
    return Conflict(tuple(kept), search.proved, tuple(to_drop))


class _Search:
    """Tests sets of rules, and tells how many are done."""

    def __init__(
        self, problem: FitProblem, rules: Sequence[Rule], seed: int, params: FitParams, observer: FitObserver
    ) -> None:
        self._seed, self._params, self._observer = seed, params, observer
        self._all, self._problem = rules, problem
        self.proved, self._done = True, 0

    def shrunk(self) -> list[Rule]:
        """Return a part of the rules of which none can be left out; halves first, as most rules play no part."""
        kept = list(self._all)
        # Halves, then quarters: deletion filtering (Chinneck 2008, from memory), where most rules go in large parts.
        size = max(1, len(kept) // 2)
        while True:
            index = 0
            while index < len(kept):
                rest = kept[:index] + kept[index + size :]
                if self.feasible(rest):
                    index += size
                else:
                    kept = rest
            if size == 1:
                return kept
            size = max(1, size // 2)

    def feasible(self, rules: Sequence[Rule]) -> bool:
        """Return whether there is a fit under these rules alone."""
        problem = self._problem
        # Rules are compared by key, as the functions that drop them cannot be.
        for rule in self._all:
            if all(rule.key != other.key for other in rules):
                problem = rule.dropped(problem)
        self._done += 1
        # Nobody knows how many sets will be tried, so the share approaches its end without reaching it.
        self._observer.on_progress(Progress("trying rules", 1 - 0.9**self._done, Decimal(0), Decimal(0)))
        # A floor alone often tells that there is nothing, and takes no search at all.
        if quick_floor(problem).reasons:
            return False
        found = fit(problem, seed=self._seed, params=replace(self._params, chunks=2), observer=_FirstAnswer())
        # A set where nothing was found and nothing proved makes the whole conflict unproved.
        self.proved = self.proved and found.status is not FitStatus.UNKNOWN
        return found.found


class _FirstAnswer:
    """Stops a fit as soon as it has any answer."""

    def on_progress(self, progress: Progress) -> bool:
        """Return whether there is an answer."""
        return progress.cost_per_hour > 0

"""More replicas on interruptible nodes than their rows allow."""

from __future__ import annotations

from collections import Counter
from fractions import Fraction

from rombel.model.fit_problem import Purchase
from rombel.preflight.rule import Found, Grade, When, rule, some
from rombel.preflight.situation import Situation


@rule("fit.interruptible", When.RUNNING, "fit")
def interruptible(at: Situation) -> Found:
    """Stop: a plan of Rombel's own never does so; one that was handed in may."""
    if at.problem is None or at.solution is None:
        return
    all_, taken = Counter[str](), Counter[str]()
    for batch in at.solution.nodes:
        for name, count in batch.replicas.items():
            all_[name] += count * batch.count
            taken[name] += count * batch.count * (batch.purchase is Purchase.INTERRUPTIBLE)
    names = [
        w.name for w in at.problem.workloads if taken[w.name] > Fraction(str(w.interruptible_share)) * all_[w.name]
    ]
    if names:
        text = f"more replicas stand on interruptible nodes than may: {some(names)}"
        yield Grade.STOP, text, "Fit again, or allow a larger share in their rows."

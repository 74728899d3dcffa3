"""Begin a sweep in the background."""

from __future__ import annotations

import secrets
from collections.abc import Iterator
from dataclasses import dataclass
from decimal import Decimal
from typing import Any, ClassVar

from catalogue.models import Region
from jobs.asking import in_parts, new_job
from jobs.models import ACTIVE
from rombel.errors import InputRefused, refuse
from rombel.sweep import Choice, SweepPlan, read_sentence
from runs.bills import fees_beside
from runs.queries import latest_answer
from runs.stored import stored_solution
from studies.actions.of_study import OfVariant
from studies.adapt import asked_rows, supply_elsewhere, supply_of, targets_of
from studies.models import Variant
from sweeps.adapt import Base, base_form, stored_form
from sweeps.background import KIND, far_apart, part_size
from sweeps.known import known_of, regions_by_label
from sweeps.models import Sweep, SweepBase

MOST_KEPT = 12
"""Sweeps of a study: the oldest that has ended goes when one more begins."""


@dataclass
class StartSweep(OfVariant[Sweep]):
    """Queue the fits of a sentence; what they are computed from is taken now, as an edit must not change half of them."""

    sentence: str
    name: ClassVar[str] = "sweep.start"

    def execute(self) -> Sweep:
        """Return the sweep; a sentence that says nothing, or a variant that has no problem, is refused."""
        seed = secrets.randbelow(2**31)
        plan = read_sentence(self.sentence, known_of(self.variant, self.sentence), seed)
        study = self.variant.study
        bases = [SweepBase(**fields) for fields in self._bases(plan)]
        if all(base.given is None for base in bases):
            raise refuse(
                "sweep.base", "sentence", bases[0].refused, "Change that under Supply or Demand, then sweep again."
            )
        self.made = Sweep.objects.create(
            job=new_job(KIND, f"{study.name}, {self.variant.name}", self.actor),
            study=study,
            variant=self.variant,
            sentence=self.sentence.strip(),
            plan=stored_form(plan),
            currency=study.currency,
            with_fees=Choice.REGION not in plan.choices,
        )
        for base in bases:
            base.sweep = self.made
        SweepBase.objects.bulk_create(bases)
        ended = study.sweeps.exclude(job__status__in=ACTIVE).order_by("-pk")
        for old in ended[MOST_KEPT - 1 :]:
            old.delete()
        in_parts(self.made.job, KIND, far_apart(range(-(-plan.size // part_size(plan)))))
        return self.made

    def _bases(self, plan: SweepPlan) -> Iterator[dict[str, Any]]:
        """Yield what each variant asks in each region."""
        variants = {row.name: row for row in self.variant.study.variants.all()}
        regions = regions_by_label() if Choice.REGION in plan.choices else {}
        for name in plan.choices[Choice.VARIANT]:
            for region in plan.choices.get(Choice.REGION, ("",)):
                yield {"variant_name": name, "region": region, **_base(variants[name], regions.get(region))}

    def detail(self) -> dict[str, Any]:
        """Return the sweep and its sentence."""
        return {"sweep": self.made.pk, "sentence": self.sentence}


def _base(variant: Variant, region: Region | None) -> dict[str, Any]:
    """Return what a variant asks in a region, its own where none is named; or why that makes no problem."""
    try:
        rows = asked_rows(variant)
        other = None if region is None or _same(region, variant.region) else region
        supply = supply_of(variant) if other is None else supply_elsewhere(variant, other)
        given = base_form(Base(supply, targets_of(variant), tuple(rows)))
    except InputRefused as refused:
        return {"refused": refused.faults[0].reason}
    # Nodes of one region are no start in another.
    fit = latest_answer(variant) if other is None else None
    nodes = () if fit is None else stored_solution(fit).nodes
    fees = Decimal(0) if region else fees_beside(variant, nodes)
    return {"given": given, "fit": fit, "fees_per_month": fees}


def _same(region: Region, other: Region | None) -> bool:
    """Return whether two regions are one, perhaps of different editions of its provider's list."""
    return other is not None and (region.name, region.edition.provider_id) == (other.name, other.edition.provider_id)

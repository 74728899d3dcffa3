"""Make a study of a file, whole or not at all."""

from __future__ import annotations

import json
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from decimal import Decimal
from typing import Any, ClassVar

from django.utils import timezone

from accounts.action import Action
from accounts.models import Role
from catalogue.adapt import price_list_of, store_edition
from catalogue.models import Edition, Provider, RateSheet, Region
from handover.study_file import SERIES_PARTS, USAGE_PARTS, only_regions
from handover.study_reading import moment_of, price_lists_of, rows_of, running_in, series_in, some_of
from house.models import present_rules
from jobs.asking import done_job
from measured.adapt import store_listing
from measured.models import UsageSeries, UsageSet
from rombel.errors import Fault, InputRefused, gathered, refuse
from rombel.fit import check
from rombel.formats import read_problem, read_solution, within, write_problem
from rombel.model.price_list import PriceList
from rombel.model.quantity import day_fault, parse_currency, parse_day, parse_price
from runs.inputs import digest_of, inputs_of
from runs.models import Fit, Run, StatedProblem
from runs.queries import present_digest
from runs.stored import keep_answer
from studies.actions.change_study import FIELDS as CHANGED
from studies.actions.change_study import ChangeStudy
from studies.actions.change_variant import ChangeVariant
from studies.actions.keep_drills import KeepDrills
from studies.actions.keep_limits import KeepLimits
from studies.actions.keep_rehearsal import KeepRehearsal
from studies.actions.state_promises import FIELDS as PROMISED
from studies.actions.state_promises import StatePromises
from studies.adapt import fields_of
from studies.models import AcceptedFinding, StatedDeviation, Study, Variant, Workload
from studies.queries import variant_by_id

Place = tuple[int, str]
"""Place of the price list in the file, and name of the region."""


@dataclass
class ImportStudy(Action[Study]):
    """Make a study of a file's values, whose form and choices were checked.

    Price lists that are here already are used; others become editions that no other study is offered. Plans are checked before they are
    stored, and count as current where their problem is what the study's own makes here. Reasons keep their words and who said them elsewhere;
    whoever brings the file stands for them here.

    Parameters
    ----------
    value
        The file.
    title
        What the study is called here; empty: as in the file.

    """

    value: Mapping[str, Any]
    title: str = ""
    name: ClassVar[str] = "study.import"

    def execute(self) -> Study:
        """Return the study.

        Raises
        ------
        InputRefused
            With every fault of a part; a name in use is refused too.

        """
        value = self.value
        own = value["study"]
        self.study = self._new(self.title.strip() or own["name"].strip(), own)
        regions = self._regions()
        # Through the same door as typed rows: a file may have been changed by hand.
        rows = rows_of(value["workloads"], own.get("growth_percent", 0))
        Workload.objects.bulk_create(
            [Workload(study=self.study, **fields_of(row, place)) for place, row in enumerate(rows)], 1000
        )
        self._state(own)
        self._measurements()
        for place, stated in enumerate(value["variants"]):
            within(f"variants[{place}]", self._variant, stated, place, regions)
        # A variant may come from one that stands later in the file, so names are looked up once all are there.
        own_names = {variant.name: variant.pk for variant in self.study.variants.all()}
        for stated in value["variants"]:
            origin = own_names.get(stated.get("came_from") or "")
            self.study.variants.filter(name=stated["name"].strip()).update(came_from_id=origin)
        # Reading it was no edit of anybody: there is nothing to undo.
        self.study.edits.all().delete()
        return self.study

    def _new(self, title: str, own: Mapping[str, Any]) -> Study:
        if Study.objects.filter(name=title).exists():
            fix = "Say under which other name it is to stand here."
            raise refuse("study.twice", "name", f"There is already a study '{title}'.", fix)
        variants = self.value["variants"]
        names = [entry["name"] for entry in variants]
        if len(set(names)) < len(names) or sum(entry.get("is_reference", False) for entry in variants) != 1:
            reason = "Variants have names of their own, and one of them is the reference."
            raise refuse("study.variants", "variants", reason, "Correct the file, or export the study again.")
        return Study.objects.create(
            name=title,
            organisation=own.get("organisation", ""),
            tags=list(own.get("tags", [])),
            currency=own["currency"],
            rates=self._rates(),
            created_by=self.actor,
        )

    def _rates(self) -> RateSheet | None:
        stated = self.value.get("rates")
        if stated is None:
            return None
        dated = parse_day(stated["dated"], "rates.dated")
        for code, text in stated["worth"].items():
            parse_currency(code, f"rates.worth.{code}")
            parse_price(text, f"rates.worth.{code}")
        # A sheet that says the same is the same, whoever stated it.
        same = RateSheet.objects.filter(dated=dated, base=stated["base"], worth=stated["worth"]).first()
        plain = {name: stated.get(name, "") for name in ("base", "worth", "source")}
        return same or RateSheet.objects.create(dated=dated, of_file=True, stated_by=self.actor, **plain)

    def _regions(self) -> dict[Place, Region]:
        """Return the regions of the file's price lists."""
        found: dict[Place, Region] = {}
        for number, listed in enumerate(price_lists_of(self.value.get("price_lists", ()))):
            if fault := day_fault(listed.dated, timezone.now().date()):
                raise InputRefused([replace(fault, path=f"price_lists[{number}].{fault.path}")])
            edition = self._edition(listed)
            for region in edition.regions.select_related("edition__provider"):
                found[number, region.name] = region
        return found

    def _edition(self, listed: PriceList) -> Edition:
        provider, _ = Provider.objects.get_or_create(name=listed.provider)
        names = [region.name for region in listed.regions]
        # Taken lists before those of other files; equal in all that the file holds of it, so that prices mean the same.
        for edition in provider.editions.filter(dated=listed.dated, currency=listed.currency).order_by("of_file", "pk"):
            if only_regions(price_list_of(edition), names) == listed:
                return edition
        edition = store_edition(listed, provider, source="study file", actor=self.actor)
        # It holds some regions alone, and may be older than what is here: nobody is told of it as news.
        Edition.objects.filter(pk=edition.pk).update(of_file=True)
        edition.of_file = True
        return edition

    def _state(self, own: Mapping[str, Any]) -> None:
        """State what the study itself says, by the actions that planners state it with."""
        faults = list[Fault]()

        def state(action: Action[None], path: str) -> None:
            with gathered(faults):
                within(path, action.execute)
            # Each action writes what it changes; the next one must see that.
            self.study.refresh_from_db()

        state(ChangeStudy(self.actor, self.study, some_of(own, CHANGED)), "study")
        state(StatePromises(self.actor, self.study, some_of(own, PROMISED)), "study")
        state(KeepDrills(self.actor, self.study, own.get("drills", [])), "study")
        if own.get("rehearsal"):
            state(KeepRehearsal(self.actor, self.study, own["rehearsal"]), "study.rehearsal")
        if faults:
            raise InputRefused(faults)

    def _measurements(self) -> None:
        listing, usage = self.value.get("listing"), self.value.get("usage")
        if listing is not None:
            running = running_in(listing["content"])
            self.study.running = store_listing(running, listing.get("origin", ""), self.actor)
        if usage is not None:
            plain = some_of(usage, USAGE_PARTS)
            job = done_job("usage", self.study.name, self.actor)
            kept = UsageSet.objects.create(job=job, study_id=self.study.pk, read_by=self.actor, **plain)
            series = [
                UsageSeries(
                    usage=kept,
                    total=total,
                    busiest=busiest,
                    **some_of(entry, SERIES_PARTS),
                )
                for entry, total, busiest in series_in(usage)
            ]
            UsageSeries.objects.bulk_create(series, 500)
            self.study.usage = kept
        self.study.save(update_fields=["running", "usage"])

    def _variant(self, stated: Mapping[str, Any], place: int, regions: Mapping[Place, Region]) -> None:
        region = self._region_of(stated.get("region"), regions, "region")
        others = [self._region_of(each, regions, "other_regions") for each in stated.get("other_regions", ())]
        choices = {**stated.get("choices", {}), "region_id": None if region is None else region.pk}
        # Numbers of regions mean nothing in another installation: the file names them, and they get their numbers here.
        choices["beyond"] = {
            **choices.get("beyond", {}),
            **({"region_ids": [o.pk for o in others if o]} if others else {}),
        }
        variant = Variant.objects.create(
            study=self.study,
            name=stated["name"].strip(),
            position=place,
            is_reference=stated.get("is_reference", False),
            note=stated.get("note", ""),
        )
        after = within("choices", ChangeVariant(self.actor, variant_by_id(variant.pk), choices).checked)
        # Not as an edit: nobody here changed anything.
        Variant.objects.filter(pk=variant.pk).update(**after)
        within("limits", KeepLimits(self.actor, variant_by_id(variant.pk), list(stated.get("limits", []))).execute)
        self._said(variant, stated)
        if stated.get("fit"):
            within("fit", self._fit, variant_by_id(variant.pk), stated["fit"])

    def _region_of(self, stated: Mapping[str, Any] | None, regions: Mapping[Place, Region], path: str) -> Region | None:
        if stated is None:
            return None
        found = regions.get((stated["price_list"], stated["name"]))
        if found is None:
            reason = f"The file has no price list {stated['price_list']} with a region '{stated['name']}'."
            raise refuse("study.region", path, reason, "Export the study again, or put the price list in.")
        return found

    def _said(self, variant: Variant, stated: Mapping[str, Any]) -> None:
        """Keep why house rules are left and findings accepted; whoever brings the file stands for it, as nobody can check who said it elsewhere."""
        for row in stated.get("deviations", ()):
            plain = {name: row.get(name, "") for name in ("rule", "chosen", "why")}
            made = StatedDeviation.objects.create(
                variant=variant, stated_by=self.actor, said_by=self._elsewhere(row), **plain
            )
            StatedDeviation.objects.filter(pk=made.pk).update(stated_at=moment_of(row.get("at")))
        # Where leads alone accept what is risky, a file of somebody else accepts nothing.
        if present_rules().care_accepted_by == Role.LEAD and self.actor.role != Role.LEAD:
            return
        for row in stated.get("accepted", ()):
            finding = {name: row.get(name, "") for name in ("code", "text")}
            said = {"why": row["why"], "accepted_by": self.actor, "said_by": self._elsewhere(row)}
            kept, _ = AcceptedFinding.objects.get_or_create(variant=variant, **finding, defaults=said)
            AcceptedFinding.objects.filter(pk=kept.pk).update(accepted_at=moment_of(row.get("at")))

    def _elsewhere(self, row: Mapping[str, Any]) -> str:
        by = str(row.get("by", ""))
        return "" if by == self.actor.username else by

    def _fit(self, variant: Variant, stated: Mapping[str, Any]) -> None:
        problem = within("problem", read_problem, json.dumps(stated["problem"]))
        solution = within("solution", read_solution, json.dumps(stated["solution"]))
        # A plan from elsewhere is believed as little as one of our own.
        if violations := check(problem, solution).violations:
            raise InputRefused(list(_broken(violations)))
        text = write_problem(problem)
        # Under other house rules the variant makes another problem here, and the plan is out of date.
        current = present_digest(variant)[0] == digest_of(text)
        run = Run.objects.create(
            job=done_job("fit", f"{self.study.name}, {variant.name}", self.actor, "Brought with the study's file."),
            variant=variant,
            stated=StatedProblem.of(text),
            digest=digest_of(text),
            # Only where it would be the same problem here may it stand for what a fit of it would find.
            inputs=inputs_of(variant) if current else "",
            seed=stated.get("seed", 0),
            cost_per_hour=solution.cost_per_hour,
            floor_per_hour=solution.floor_per_hour,
        )
        proved = stated.get("proved_per_hour")
        fit = keep_answer(
            run,
            solution,
            stated.get("seconds", 0.0),
            proved=None if proved is None else Decimal(proved),
            core_version=stated.get("core_version", ""),
        )
        Fit.objects.filter(pk=fit.pk).update(created_at=moment_of(stated.get("computed_at")))

    def subject(self) -> str:
        """Return the study."""
        return f"study:{self.study.pk}"

    def detail(self) -> dict[str, Any]:
        """Return what it is called, and when the file was written."""
        return {"name": self.study.name, "exported_at": self.value.get("exported_at", "")}


def _broken(violations: Sequence[str]) -> Iterator[Fault]:
    for violation in violations[:50]:
        yield Fault(
            "study.fit", "solution", f"The plan breaks a rule: {violation}", "Leave the plan out, and fit again."
        )

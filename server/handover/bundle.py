"""All that is handed over of a plan, as one file that is the same whenever it is asked for."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from datetime import date
from enum import StrEnum
from functools import cached_property

from accounts.action import Missing
from builds.wanted import Buildable
from handover.addresses import addresses_csv_file, addresses_json_file
from handover.bills import charges_file, cost_data_file
from handover.brief import brief_html, drawn_nodes, of_draft, of_sign_off
from handover.files import HandoverFile, about_of, handover_file, named, shown_asker
from handover.study_file import study_value
from rombel.errors import InputRefused, refuse
from rombel.fit import summarise
from rombel.formats import STUDY_FORMAT, schema_text, write_drill_book
from rombel.formats.access_objects import access_objects, client_config
from rombel.formats.build_json import write_build
from rombel.formats.bundle_zip import Packed, write_bundle
from rombel.formats.calendar_ics import Dated, write_calendar
from rombel.formats.drawings import lanes_svg
from rombel.formats.objects import Stated, patches, stated, whole_objects, write_objects
from rombel.formats.pixels import lanes_png
from rombel.formats.tables import write_findings_csv
from rombel.model.demand import Demand
from rombel.usage import GrowthParams
from runs.addresses import AddressesTold, told_addresses
from runs.bills import Division, told_bill
from runs.findings import Occasion
from runs.growth import headings
from runs.models import Fit
from runs.queries import WITHOUT_ANSWER, latest_plan, present_digest
from runs.questions.drills import book_of
from runs.stored import stored_plan
from signing.freezing import draft_at
from signing.models import State
from studies.beside import commitment_ends, trial_end
from studies.build import DEFAULTS, build_of, grants_of
from studies.models import Variant
from studies.queries import variant_by_id

_CHECK = "./rombel check problem.json solution.json"
OF_FIT: dict[HandoverFile, tuple[str, str]] = {
    HandoverFile.PROBLEM: ("what was asked: supply, targets and demand exactly as they were computed", ""),
    HandoverFile.SOLUTION: ("the plan: nodes, placement, landing, cost and floor", _CHECK),
    HandoverFile.PROBLEM_SCHEMA: ("JSON Schema of problem.json", ""),
    HandoverFile.SOLUTION_SCHEMA: ("JSON Schema of solution.json", ""),
    HandoverFile.POOLS: ("nodes and price of every pool and zone", ""),
    HandoverFile.PLACEMENT: ("every workload on every node", ""),
    HandoverFile.DRILL_BOOK_SCHEMA: ("JSON Schema of drill-book.json", ""),
    HandoverFile.ABOUT: ("study, variant, price list with its date, who and when", ""),
}
LATE = "The study was changed after this plan was computed, and this is written of the study as it stands."


@dataclass(frozen=True, slots=True)
class OfStudy:
    """A file that is written of the study as it stands: what it holds, how it is written, and the command that reads it (empty: none)."""

    what: str
    write: Callable[[Bundled], str]
    command: str = ""


@dataclass(frozen=True)
class Bundled:
    """A plan and its variant, with what several files need of them."""

    fit: Fit
    variant: Variant

    @cached_property
    def is_current(self) -> bool:
        """Return whether the plan is of the variant as it stands, and its newest."""
        newest = latest_plan(self.variant)
        return newest is not None and newest.pk == self.fit.pk and present_digest(self.variant)[0] == self.fit.digest

    @cached_property
    def at(self) -> Occasion:
        """Return the variant with what several files look up."""
        return Occasion(self.variant, self.fit)

    @cached_property
    def buildable(self) -> Buildable:
        """Return the plan as a builder needs it."""
        return Buildable(self.variant, self.fit)

    @cached_property
    def workloads(self) -> list[Stated]:
        """Return the demand as it is handed over."""
        rows: list[Demand] = self.at.rows
        return stated(rows, self.variant.study.growth_percent)


PICTURES = ("lanes.svg", "lanes.png")
MEDIA = {
    "json": "application/json",
    "yaml": "application/yaml",
    "csv": "text/csv; charset=utf-8",
    "html": "text/html; charset=utf-8",
    "ics": "text/calendar; charset=utf-8",
    "svg": "image/svg+xml",
    "png": "image/png",
}
"""Media types by the end of a name."""


def bundle_file(fit: Fit, name: str) -> tuple[bytes, str, str]:
    """Return a file of a bundle alone: content, media type and file name.

    Raises
    ------
    Missing
        When the fit found no plan, or there is nothing that the file could say.
    InputRefused
        When it is written of the study as it stands, and the plan is not of it.

    """
    _has_plan(fit)
    found = Bundled(fit, variant_by_id(fit.variant_id))
    media, own_name = MEDIA[name.rsplit(".", 1)[1]], named(found.variant, f"fit-{fit.pk}-{name}")
    if name in PICTURES:
        return next(each.content for each in _pictures(found) if each.name == name), media, own_name
    if not found.is_current:
        raise refuse("handover.late", "", LATE, "Fit it again, or take what was handed over of a plan that is signed.")
    return OF_STUDY[name].write(found).encode(), media, own_name


def _has_plan(fit: Fit) -> None:
    if fit.status in WITHOUT_ANSWER:
        raise Missing("This fit found no plan, so that there is nothing to hand over.")


def bundle_of(fit: Fit) -> tuple[bytes, str, str]:
    """Return all that is handed over of a plan as a ZIP, its media type and a file name.

    Raises
    ------
    Missing
        When the fit found no plan.

    """
    _has_plan(fit)
    found = Bundled(fit, variant_by_id(fit.variant_id))
    files, left_out = list(_of_fit(found)), dict[str, str]()
    for name, file in OF_STUDY.items():
        # What is written of another study than the plan's would be handed over as if it belonged to it.
        if not found.is_current:
            left_out[name] = LATE
            continue
        try:
            files.append(Packed(name, file.write(found).encode(), file.what, file.command))
        except (Missing, InputRefused) as error:
            faults = error.faults if isinstance(error, InputRefused) else ()
            left_out[name] = faults[0].reason if faults else str(error)
    about = about_of(found.variant) | {
        "fit": str(fit.pk),
        "computed_for": shown_asker(fit.run),
        "core_version": fit.core_version,
        "made_by": f"./rombel fit problem.json --seed {fit.seed}",
    }
    # Dated by the plan: packed again tomorrow it is the same bytes.
    content = write_bundle(files, about, left_out, fit.created_at)
    return content, "application/zip", named(found.variant, f"fit-{fit.pk}.zip")


def _of_fit(found: Bundled) -> Iterator[Packed]:
    """Yield what follows from the stored plan alone, and never changes."""
    for name, (what, command) in OF_FIT.items():
        yield Packed(name.value, handover_file(found.fit, name)[0].encode(), what, command)
    yield from _pictures(found)


def _pictures(found: Bundled) -> Iterator[Packed]:
    problem, solution = stored_plan(found.fit)
    drawn = drawn_nodes(summarise(problem, solution))
    yield Packed("lanes.svg", lanes_svg(drawn, problem.zones).encode(), "nodes by zone as a picture")
    yield Packed("lanes.png", lanes_png(drawn, problem.zones), "the same as pixels")


def _objects(found: Bundled) -> str:
    head = (
        "Demand of the plan as objects of the Kubernetes API. Images are left out: put yours in before you apply this."
    )
    return write_objects(whole_objects(found.workloads), head)


def _patches(found: Bundled) -> str:
    head = "What the plan decides of workloads that run already; to be applied on the server's side, field by field."
    return write_objects(patches(found.workloads), head)


def _build(found: Bundled) -> str:
    return write_build(found.buildable.build)


def _told(found: Bundled) -> AddressesTold:
    return told_addresses(found.variant)


def _with_ranges(write: Callable[[AddressesTold], tuple[str, str, str]]) -> Callable[[Bundled], str]:
    def written(found: Bundled) -> str:
        told = _told(found)
        if not told.plans:
            raise Missing("No range is stated to take addresses from.")
        return write(told)[0]

    return written


def _calendar(found: Bundled) -> str:
    dates = [
        Dated(each["name"], f"Demand is planned ×{each['factor']:g} on these days.", *_days(each))
        for each in found.variant.study.events
    ]
    ends = build_of(found.variant, found.fit.created_at.date()).ends
    if ends is not None:
        version = found.variant.build.get("version_to") or "planned"
        why = "It is not supported after it: go to a newer one before."
        dates.append(Dated(f"Version {version} ends", why, ends))
    dates += list(_bound(found.variant))
    dates += [
        Dated(
            f"Access of {grant.who} ends",
            f"Take the binding away: {grant.may} in {grant.namespace or 'the whole cluster'}.",
            grant.until,
        )
        for grant in grants_of(found.variant.build)
        if grant.until is not None
    ]
    dates += [
        Dated(f"{own.name} meets its limit", f"Measured use, as it grows, needs {own.limit_why}.", own.reached)
        for own in headings(found.variant, GrowthParams())
        if own.reached is not None
    ]
    if not dates:
        raise Missing(
            "No event is planned, no access, commitment or trial ends, no measured use meets a limit, and no day is known on which"
            " the version ends."
        )
    return write_calendar(f"{found.variant.study.name}, {found.variant.name}", dates, found.fit.created_at)


def _bound(variant: Variant) -> Iterator[Dated]:
    """Yield the ends of what is paid until a day, and of a trial."""
    for name, day in commitment_ends(variant.beside).items():
        what = f"Commitment to {variant.beside['held'][name]} {name} ends"
        yield Dated(what, "From then on these nodes are paid on demand: commit anew, or plan without them.", day)
    if (end := trial_end(variant.beside)) is not None:
        yield Dated("Trial ends", "Retire the cluster, or plan it for good.", end)


def _days(event: dict[str, str]) -> tuple[date, date]:
    return date.fromisoformat(event["first"]), date.fromisoformat(event["last"])


def _access(found: Bundled) -> str:
    grants = grants_of(found.variant.build)
    if not grants:
        raise Missing("Nobody is named who may do something in the cluster.")
    head = "Who may do what. What ends on a day is to be taken away then: the API lets no binding end by itself."
    return write_objects(access_objects(grants), head)


def _client_config(found: Bundled) -> str:
    stated = {**DEFAULTS, **found.variant.build}
    # What a build told is where the API really answers; a stated domain is where it is meant to.
    built = found.variant.study.builds.filter(cluster=stated["cluster"]).exclude(outputs={}).last()
    told = "" if built is None else built.outputs.get("api", "")
    server = told or (f"https://{stated['cluster']}.{stated['domain']}" if stated["domain"] else "")
    if not stated["cluster"] or not server:
        raise Missing("Nobody knows where the API answers: nothing was built, and no domain is stated.")
    head = "Where the API answers, without a secret: whoever uses it adds the own one."
    return write_objects([client_config(stated["cluster"], server, grants_of(stated))], head)


def _study(found: Bundled) -> str:
    value = {
        "format": STUDY_FORMAT,
        "core_version": found.fit.core_version,
        "exported_at": found.fit.created_at.isoformat(timespec="seconds"),
        "exported_by": shown_asker(found.fit.run),
        **study_value(found.variant.study),
        # Measured use may be of a year; the study's own file has it.
        "usage": None,
    }
    return json.dumps(value, ensure_ascii=False, indent=1) + "\n"


def _brief(found: Bundled) -> str:
    # A signed plan is told as it was signed, whatever the study has become.
    row = found.fit.sign_offs.filter(state=State.SIGNED).last()
    subject = of_draft(draft_at(found.at, found.fit)) if row is None else of_sign_off(row)
    return brief_html(subject, "", found.fit.created_at)[0]


def _findings(found: Bundled) -> str:
    rows = []
    for each in found.at.judged:
        own, why = each.finding, "" if each.accepted is None else each.accepted.why
        rows.append([own.grade, own.code, own.when, own.text, own.fix, each.by, why])
    return write_findings_csv(rows, about_of(found.variant))


OF_STUDY = {
    "study.json": OfStudy("the study without its measured use, to be brought into another Rombel", _study),
    "brief.html": OfStudy("the plan on one page, to be printed", _brief),
    "access.yaml": OfStudy("who may do what, as bindings of the roles that every cluster has", _access),
    "client-config.yaml": OfStudy("where the API answers, for a client, without a secret", _client_config),
    "drill-book.json": OfStudy(
        "losses and changes to play on the plan",
        lambda found: write_drill_book(book_of(found.fit)),
        "./rombel drill problem.json solution.json --book drill-book.json",
    ),
    "objects.yaml": OfStudy(
        "workloads, autoscalers, disruption budgets and bounds of namespaces, as objects of the Kubernetes API without images",
        _objects,
    ),
    "patches.yaml": OfStudy(
        "what the plan decides of workloads that run already, to be applied on the server's side", _patches
    ),
    "build.json": OfStudy("pools with their limits, control plane and ranges, for whoever builds it", _build),
    "build.schema.json": OfStudy("JSON Schema of build.json", lambda _: schema_text("build-1")),
    "dates.ics": OfStudy(
        "planned events, and the days on which access, commitments, a trial and the version end and measured use meets its limits",
        _calendar,
    ),
    "bill.csv": OfStudy(
        "every charge of a month", lambda found: charges_file(told_bill(found.variant, "month", Division()))[0]
    ),
    "cost-data.csv": OfStudy(
        "a planned month as open cost data",
        lambda found: cost_data_file(found.variant, f"{found.fit.created_at:%Y-%m}")[0],
    ),
    "findings.csv": OfStudy("what pre-flight finds, and who accepted it", _findings),
    "addresses.csv": OfStudy("every range of the address plan", _with_ranges(addresses_csv_file)),
    "addresses.json": OfStudy("the same as JSON", _with_ranges(addresses_json_file)),
}
"""By name: what is written of the study as it stands, and so only where the plan is of it."""
BundleFile = StrEnum(  # type: ignore[misc]
    "BundleFile", {name.upper().replace(".", "_").replace("-", "_"): name for name in (*OF_STUDY, *PICTURES)}
)
"""What of a bundle is had alone beside what a fit is handed over as."""

"""What is to be done from what stands to a plan, and where that is known from."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Sequence
from dataclasses import dataclass
from decimal import Decimal
from enum import StrEnum
from typing import Any

from accounts.action import Missing
from builds.models import ClusterBuild
from builds.service import BuildService
from builds.wanted import Buildable
from catalogue.service import ServiceFailed, ServiceRefused
from jobs.models import ACTIVE
from measured.adapt import running_of
from rombel.building import Change, Doing, Expected, change_list, expected_end, parts_of, standing_of
from rombel.errors import Fault
from rombel.formats.build_json import read_build
from runs.findings import Occasion, judged
from runs.models import Fit
from runs.queries import latest_plan, present_digest
from signing.models import SignOff, State
from studies.models import Variant


class KnownFrom(StrEnum):
    """Where it is known from what stands."""

    SERVICE = "service"
    LISTING = "listing"
    NOTHING = "nothing"


@dataclass(frozen=True, slots=True)
class Standing:
    """What stands as neutral JSON (None: nothing), where that is known from, and what is only taken to stand."""

    build: dict[str, Any] | None
    known_from: KnownFrom
    taken: frozenset[str] = frozenset()
    trouble: str = ""


@dataclass(frozen=True)
class ToDo:
    """A change list of a variant's newest plan.

    Attributes
    ----------
    changes, expected
        What is done, and how long it takes.
    digest
        Of the list: what is begun is what was seen.
    hurdles
        What keeps it from being built.
    signed
        Who signed the plan, and when; empty: nobody did.

    """

    variant: Variant
    fit: Fit
    build: dict[str, Any]
    standing: Standing
    changes: Sequence[Change]
    expected: Expected
    digest: str
    hurdles: Sequence[Fault]
    signed: str
    running: dict[str, Any]


def what_stands(variant: Variant, wanted: dict[str, Any]) -> Standing:
    """Return what stands of a study's cluster: as the service that built it says, else as the study's listing does, else nothing."""
    built = variant.study.builds.filter(cluster=wanted["cluster"]).exclude(state="").last()
    trouble = ""
    if built is not None and variant.region is not None:
        service = BuildService(variant.region.edition.provider.service_url, tries=1, timeout_s=2.0)
        try:
            return Standing(read_build(json.dumps(service.cluster(built.cluster))), KnownFrom.SERVICE)
        except ServiceRefused as refused:
            if refused.status == 404:
                return Standing(None, KnownFrom.SERVICE)
            trouble = str(refused)
        except ServiceFailed as failed:
            trouble = str(failed)
    listing = variant.study.running
    if listing is None:
        return Standing(None, KnownFrom.NOTHING, trouble=trouble)
    found, taken = standing_of(running_of(listing), wanted)
    return Standing(found, KnownFrom.LISTING, taken, trouble)


def to_do(variant: Variant, *, removes: bool = False) -> ToDo:
    """Return what is done from what stands to the newest plan of a variant, or until nothing of it stands.

    Raises
    ------
    Missing
        When there is no plan.

    """
    fit = latest_plan(variant)
    if fit is None:
        raise Missing(f"Variant {variant.pk} has no plan, so there is nothing to build.")
    asked = Buildable(variant, fit)
    build = asked.build
    standing = what_stands(variant, build)
    before = parts_of(standing.build)
    changes = change_list({} if removes else parts_of(build), before, prices=asked.prices, taken=standing.taken)
    expected = expected_end([change.work for change in changes])
    value = [[change.key, str(change.doing), dict(change.part.facts)] for change in changes]
    digest = hashlib.sha256(json.dumps([fit.digest, removes, value], sort_keys=True).encode()).hexdigest()
    signed = _signed(variant, fit)
    hurdles = list(_hurdles(variant, fit, build, changes, removes=removes))
    return ToDo(variant, fit, build, standing, changes, expected, digest, hurdles, signed, asked.running)


def _signed(variant: Variant, fit: Fit) -> str:
    row = SignOff.objects.filter(study=variant.study_id, state=State.SIGNED, fit__digest=fit.digest).first()
    if row is None:
        return ""
    names = ", ".join(each.by.shown_name for each in row.signatures.filter(signs=True).select_related("by"))
    return f"{names} on {row.closed_at:%Y-%m-%d}"


def _hurdles(
    variant: Variant, fit: Fit, build: dict[str, Any], changes: Sequence[Change], *, removes: bool
) -> list[Fault]:
    found = []
    if not build["cluster"]:
        found.append(Fault("build.name", "build.cluster", "The cluster has no name.", "Name it under Pre-flight."))
    if variant.region is not None and not variant.region.edition.provider.service_url:
        reason = f"{variant.region.edition.provider.name} has no build service."
        found.append(Fault("build.service", "", reason, "Hand build.json to whoever builds there."))
    if build["cluster"] and _under_way(variant, build["cluster"]):
        found.append(Fault("build.busy", "", f"A build of {build['cluster']} is under way.", "Wait, or take it back."))
    if all(change.doing is Doing.KEEP for change in changes):
        found.append(Fault("build.nothing", "", "Nothing is to be done.", "What stands is as planned."))
    if removes:
        return found
    if present_digest(variant)[0] != fit.digest:
        found.append(Fault("build.late", "", "The study was changed after this plan.", "Fit it again."))
    for each in judged(Occasion(variant, fit)):
        if each.finding.grade == "stop":
            found.append(Fault(f"build.{each.finding.code}", "", each.finding.text, each.finding.fix))
    return found


def _under_way(variant: Variant, cluster: str) -> bool:
    rows = ClusterBuild.objects.filter(cluster=cluster, job__status__in=ACTIVE)
    return rows.filter(
        variant__region__edition__provider=variant.region.edition.provider_id if variant.region else None
    ).exists()


def change_value(change: Change) -> dict[str, Any]:
    """Return an entry of the list as it is kept and shown."""
    return {
        "key": change.key,
        "kind": str(change.part.kind),
        "name": change.part.name,
        "zone": change.part.zone,
        "do": str(change.doing),
        "needs": list(change.needs),
        "reason": change.reason,
        "risk": change.risk,
        "median_s": change.span.median_s,
        "p95_s": change.span.p95_s,
        "cost_per_hour": format(change.cost_per_hour, "f"),
    }


def added_per_hour(changes: Sequence[Change]) -> Decimal:
    """Return what all nodes of the list cost more an hour, less than zero where they save."""
    return sum((change.cost_per_hour for change in changes), start=Decimal(0))

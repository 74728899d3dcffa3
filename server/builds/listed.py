"""What is to be done from what stands to a plan, and where that is known from."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from decimal import Decimal
from enum import StrEnum
from ipaddress import ip_network
from typing import Any

from django.utils import timezone

from accounts.action import Missing
from builds.life import GoesOn, Shown, at_version, drill_of_change, drill_of_pools, goes_on_costing, runs_now, steps_up
from builds.models import ClusterBuild, Goal
from builds.service import BuildService
from builds.wanted import Buildable
from catalogue.service import ServiceFailed, ServiceRefused
from jobs.models import ACTIVE
from measured.adapt import running_of
from rombel.building import (
    Change,
    Doing,
    Expected,
    PartKind,
    VersionStep,
    change_list,
    expected_end,
    parts_of,
    standing_of,
)
from rombel.errors import Fault
from rombel.formats.build_json import read_build
from rombel.model.build import Version, read_version
from runs.findings import Occasion
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


@dataclass(frozen=True, slots=True)
class Asked:
    """What is to be done: what for, for an upgrade to which version, and whether volumes go with a cluster that is taken away."""

    goal: Goal = Goal.PLAN
    version: str = ""
    volumes: bool = False

    @property
    def takes_volumes(self) -> bool:
        """Return whether volumes go too; with nothing but a retirement they ever do."""
        return self.volumes and self.goal is Goal.NOTHING


@dataclass(frozen=True)
class ToDo:
    """A change list of a variant's newest plan.

    Attributes
    ----------
    asked, build
        What is to be done, and what stands then, as neutral JSON.
    changes, expected
        What is done, and how long it takes.
    digest
        Of the list: what is begun is what was seen.
    hurdles
        What keeps it from being built.
    signed
        Who signed the plan, and when; empty: nobody did.
    versions
        What may be upgraded to, and what not and why.
    drill
        What a drill of the change shows; None: the plan's own drills are those of the way to it.
    goes_on
        What is paid once nothing stands any more.

    """

    variant: Variant
    fit: Fit
    asked: Asked
    build: dict[str, Any]
    standing: Standing
    changes: Sequence[Change]
    expected: Expected
    digest: str
    hurdles: Sequence[Fault]
    signed: str
    versions: Sequence[VersionStep]
    drill: Shown | None
    goes_on: Sequence[GoesOn] = ()


def what_stands(variant: Variant, wanted: dict[str, Any]) -> Standing:
    """Return what stands of a study's cluster: as the service that built it says, else as the study's listing does, else nothing."""
    built = variant.study.builds.filter(cluster=wanted["cluster"]).exclude(state="").last()
    trouble = ""
    if built is not None and variant.region is not None:
        # Somebody waits at the page: one short try, and the listing where it fails.
        service = BuildService(variant.region.edition.provider.service_url, tries=1, timeout_s=2.0)
        try:
            return Standing(read_build(json.dumps(service.cluster(built.cluster))), KnownFrom.SERVICE)
        except ServiceRefused as refused:
            # It was built and is gone: nothing stands, and that is known from the service.
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


def to_do(variant: Variant, asked: Asked | None = None) -> ToDo:
    """Return what is done from what stands to what is asked, by default to the newest plan of a variant.

    Raises
    ------
    Missing
        When there is no plan.

    """
    asked = asked or Asked()
    fit = latest_plan(variant)
    if fit is None:
        raise Missing(f"Variant {variant.pk} has no plan, so there is nothing to build.")
    buildable = Buildable(variant, fit)
    planned = buildable.build
    standing = what_stands(variant, planned)
    build = _wanted(asked, planned, standing)
    renew = asked.goal is Goal.REPLACE
    wanted = {} if asked.goal is Goal.NOTHING else parts_of(build)
    changes = change_list(
        wanted,
        parts_of(standing.build),
        prices=buildable.prices,
        taken=standing.taken,
        renew=renew,
        volumes=asked.takes_volumes,
    )
    expected = expected_end([change.work for change in changes])
    value = [[change.key, str(change.doing), dict(change.part.facts)] for change in changes]
    # Times and costs are left out: they are reckoned anew with every look, and change nothing of what is done.
    told = json.dumps([fit.digest, asked.goal, asked.version, value], sort_keys=True)
    versions = steps_up(standing.build, variant, timezone.now().date())
    found = ToDo(
        variant=variant,
        fit=fit,
        asked=asked,
        build=build,
        standing=standing,
        changes=changes,
        expected=expected,
        digest=hashlib.sha256(told.encode()).hexdigest(),
        hurdles=(),
        signed=_signed(variant, fit),
        versions=versions,
        drill=drill_of_change(fit, asked.goal) or _drill_of_way(variant, asked, changes),
        goes_on=goes_on_costing(fit, volumes=not asked.volumes) if asked.goal is Goal.NOTHING else (),
    )
    return replace(found, hurdles=tuple(_hurdles(found)))


def _drill_of_way(variant: Variant, asked: Asked, changes: Sequence[Change]) -> Shown | None:
    """Return what the drill of a change of pools shows on the plan that was built last; None: none was, or its pools stay as they are."""
    built = variant.study.builds.filter(state="done").exclude(goal=Goal.NOTHING).select_related("fit__stated").last()
    return None if built is None or asked.goal is not Goal.PLAN else drill_of_pools(built.fit, changes)


def _wanted(asked: Asked, planned: dict[str, Any], standing: Standing) -> dict[str, Any]:
    """Return what is to stand; of what stands already, where nothing but its version or its nodes change."""
    if standing.build is None or asked.goal is Goal.PLAN:
        return planned
    return at_version(standing.build, asked.version) if asked.goal is Goal.UPGRADE else standing.build


def _signed(variant: Variant, fit: Fit) -> str:
    # By the problem and not by the fit: the same problem fitted again is the plan that was signed.
    row = SignOff.objects.filter(study=variant.study_id, state=State.SIGNED, fit__digest=fit.digest).first()
    if row is None:
        return ""
    names = ", ".join(each.by.shown_name for each in row.signatures.filter(signs=True).select_related("by"))
    return f"{names} on {row.closed_at:%Y-%m-%d}"


def _hurdles(found: ToDo) -> Iterator[Fault]:
    variant, build, asked = found.variant, found.build, found.asked
    if not build["cluster"]:
        yield Fault("build.name", "build.cluster", "The cluster has no name.", "Name it under Pre-flight.")
    if variant.region is not None and not variant.region.edition.provider.service_url:
        reason = f"{variant.region.edition.provider.name} has no build service."
        yield Fault("build.service", "", reason, "Hand build.json to whoever builds there.")
    if build["cluster"] and _under_way(variant, build["cluster"]):
        yield Fault("build.busy", "", f"A build of {build['cluster']} is under way.", "Wait, or take it back.")
    if found.standing.build is None and asked.goal is not Goal.PLAN:
        yield Fault("build.stands", "", "Nothing stands that could be changed.", "Build the plan first.")
    elif all(change.doing is Doing.KEEP for change in found.changes):
        yield Fault("build.nothing", "", "Nothing is to be done.", "What stands is as it is to be.")
    elif found.standing.known_from is KnownFrom.LISTING:
        # The service builds from what it knows, and it knows nothing of a cluster that it did not build.
        reason = "The provider's build service did not build what runs."
        yield Fault("build.foreign", "", reason, "Hand the list and the files to whoever runs it.")
    yield from _version_hurdles(found)
    if asked.goal is Goal.PLAN:
        yield from _plan_hurdles(found)


def _version_hurdles(found: ToDo) -> Iterator[Fault]:
    aimed = found.asked.version if found.asked.goal is Goal.UPGRADE else found.build["control_plane"].get("version", "")
    if found.asked.goal in (Goal.NOTHING, Goal.REPLACE) or found.standing.build is None:
        return
    steps = {str(step.version): step for step in found.versions}
    if found.asked.goal is Goal.UPGRADE and aimed not in steps:
        fix = f"Choose one of {', '.join(steps) or 'none: the newest runs, or nobody knows what runs'}."
        yield Fault("build.version", "version", f"{aimed or 'No version'} is not sold, or not newer.", fix)
    elif _is_back(aimed, runs_now(found.standing.build, found.variant)[0]):
        reason = f"The plan asks for {aimed}, and no control plane goes back."
        yield Fault(
            "build.version",
            "build.version_to",
            reason,
            "State the version that runs, or a newer one, under Pre-flight.",
        )
    elif aimed in steps and steps[aimed].why_not:
        reason = f"The cluster cannot go to {aimed} now: {steps[aimed].why_not}."
        yield Fault("build.version", "version", reason, "Upgrade by one minor version at a time.")


def _is_back(aimed: str, now: Version | None) -> bool:
    return bool(aimed) and now is not None and read_version(aimed) < now


def _plan_hurdles(found: ToDo) -> Iterator[Fault]:
    if present_digest(found.variant)[0] != found.fit.digest:
        yield Fault("build.late", "", "The study was changed after this plan.", "Fit it again.")
    for each in Occasion(found.variant, found.fit).judged:
        if each.finding.grade == "stop":
            yield Fault(f"build.{each.finding.code}", "", each.finding.text, each.finding.fix)
    yield from _overlaps(found)


def _overlaps(found: ToDo) -> Iterator[Fault]:
    """Yield new ranges that lie in those that stand and stay: what is large enough is not moved, so that another place may be taken."""
    ranges = [change for change in found.changes if change.part.kind is PartKind.RANGE]
    standing = parts_of(found.standing.build)
    stays = [
        (change.part.name, ip_network(standing[change.key].facts["range"]))
        for change in ranges
        if change.doing is Doing.KEEP
    ]
    for change in ranges:
        if change.doing not in (Doing.CREATE, Doing.CHANGE):
            continue
        own = ip_network(change.part.facts["range"])
        for name, other in stays:
            if own.version == other.version and own.overlaps(other):
                reason = f"{change.part.name} ({own}) is planned where {name} ({other}) stands."
                fix = "State what stands under Addresses, as ranges of today, and use a parent range beside it."
                yield Fault("build.overlap", "addresses", reason, fix)


def _under_way(variant: Variant, cluster: str) -> bool:
    # Of any study: two studies may name the same cluster, and a provider has only one of a name.
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

"""What runs against the signed plan, with what people said of each difference."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property

from accounts.action import Missing
from builds.models import DriftWord
from builds.wanted import Buildable
from measured.adapt import running_of
from measured.models import Listing
from rombel.building import Compared, Drift, DriftKind, Planned, PlannedPool, PlannedWorkload, compare_running
from rombel.model.demand import Basis, WorkloadKind
from rombel.model.running import limit_of
from runs.models import Fit
from runs.queries import latest_plan
from signing.models import SignOff, State
from studies.models import Variant, Workload
from studies.queries import variant_by_id, workloads_by_name


@dataclass(frozen=True)
class Told:
    """A comparison: of which plan (empty ``signed_on``: nobody signed it), with which listing, and what was said of each difference."""

    variant: Variant
    fit: Fit
    signed_on: str
    listing: Listing
    compared: Compared
    words: Sequence[DriftWord]

    @cached_property
    def _said(self) -> dict[tuple[str, str, str, str], DriftWord]:
        return {(word.kind, word.where, word.planned, word.actual): word for word in self.words}

    def said_of(self, drift: Drift) -> DriftWord | None:
        """Return what was said of a difference as it is."""
        return self._said.get((str(drift.kind), drift.where, drift.planned, drift.actual))

    @cached_property
    def _rows(self) -> dict[str, Workload]:
        return workloads_by_name(self.variant.study)

    def cells_of(self, drift: Drift) -> tuple[str, Mapping[str, str]]:
        """Return the row and the cells of the sheet that would say what runs; empty: the sheet has nothing to say of it.

        Replicas that follow from a load are not stated; of those that are scaled the limit that is passed is moved.
        """
        row = self._rows.get(drift.where)
        if row is None or not drift.takes:
            return "", {}
        if drift.kind is not DriftKind.REPLICAS:
            return str(row.key), drift.takes
        basis, runs = row.sizing.get("basis", Basis.FIXED), drift.takes["replicas"]
        if basis == Basis.FIXED:
            return str(row.key), drift.takes
        if basis == Basis.RANGE:
            least = row.sizing.get("least") or 1
            return str(row.key), {"least" if int(runs) < least else "most": runs}
        return "", {}


def told_drift(variant: Variant) -> Told | None:
    """Return what runs against the study's signed plan, or the variant's newest where none is signed; None: no cluster was listed.

    Raises
    ------
    Missing
        When there is no plan.

    """
    listing = variant.study.running
    if listing is None:
        return None
    signed = SignOff.objects.filter(study=variant.study_id, state=State.SIGNED, variant__removed_at=None).first()
    own = variant if signed is None else variant_by_id(signed.variant_id)
    fit = latest_plan(variant) if signed is None else signed.fit
    if fit is None:
        raise Missing(f"Variant {variant.pk} has no plan to compare with.")
    planned = planned_of(Buildable(own, fit))
    signed_on = "" if signed is None or signed.closed_at is None else f"{signed.closed_at:%Y-%m-%d}"
    words = list(DriftWord.objects.filter(study=variant.study_id).select_related("by"))
    return Told(own, fit, signed_on, listing, compare_running(planned, running_of(listing)), words)


def planned_of(asked: Buildable) -> Planned:
    """Return what a plan says of what runs."""
    build, problem = asked.build, asked.plan[0]
    pools: dict[tuple[str, str], PlannedPool] = {}
    for pool in build["pools"]:
        # A listing does not tell how a node is paid for, so that pools of one type in one zone are one here.
        place = (pool["instance_type"], pool["zone"])
        before = pools.get(place, PlannedPool(0, 0, 0))
        pools[place] = PlannedPool(
            before.nodes + pool["nodes"], before.least + pool["least"], before.most + pool["most"]
        )
    placed: Counter[str] = Counter()
    for here in asked.placement.values():
        placed.update(here)
    workloads = []
    for own in asked.workloads:
        row = own.row
        stands = placed[row.full_name] or own.replicas
        workloads.append(
            PlannedWorkload(
                row.full_name,
                min(own.least, stands),
                max(own.most, stands),
                row.request,
                limit_of(row),
                row.zone_skew,
                tuple(problem.zones),
                row.kind is WorkloadKind.DAEMON,
            )
        )
    pod_ranges = tuple(each["range"] for each in build["ranges"] if each["carries"] == "pods")
    return Planned(pools, workloads, build["control_plane"]["version"], pod_ranges)

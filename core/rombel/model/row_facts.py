"""What follows from one row of the demand sheet, in a planner's words, each with its derivation."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from rombel.model.demand import Basis, Demand, Level, WorkloadKind
from rombel.model.fit_problem import Survival
from rombel.model.levels import levels_of
from rombel.model.pod import Amounts, total
from rombel.model.quantity import show_cpu, show_memory
from rombel.model.queueing import late_share
from rombel.model.study import Supply, Targets, matches, node_waterfall, with_architecture

LEAST_MEANT_BYTES = 2**20
"""No process runs in less memory (common practice, no source)."""
LEAST_BYTES_A_CORE, MOST_BYTES_A_CORE = 4 * 2**30 // 100, 4 * 2**30 * 100
"""Memory beside a core, a hundred times off the usual 4 GiB either way (common practice, no source)."""


@dataclass(frozen=True, slots=True)
class Fact:
    """One thing that follows: a label, a value, why, and whether it needs a look."""

    label: str
    value: str
    why: str
    care: bool = False


def basis_words(row: Demand) -> str:
    """Return in words where the replicas at each level come from."""
    sizing = row.sizing
    if row.kind is WorkloadKind.DAEMON:
        return "one on every node that its labels allow"
    if sizing.basis is Basis.FIXED:
        return "stated replicas, the same at every level"
    if sizing.basis is Basis.RANGE:
        return f"autoscaling range {sizing.least} to {sizing.most}, at {sizing.target_percent} % of the request"
    if sizing.basis is Basis.RATE:
        bears = f"{sizing.per_replica:g} a second each at {sizing.target_percent} % load"
        return f"{sizing.trough:g} / {sizing.usual:g} / {sizing.peak:g} a second, {bears}"
    if sizing.basis is Basis.QUEUE:
        late = f"at most {sizing.late_percent:g} % wait over {sizing.wait_s:g} s (Erlang C)"
        return f"up to {sizing.peak:g} a second of {sizing.service_s:g} s each; {late}"
    return f"measured CPU, up to {sizing.peak / 1000:.1f} cores busy, at {sizing.target_percent} % of the request"


def facts_of(row: Demand, rows: Sequence[Demand], growth_percent: int, survive: Survival) -> Iterator[Fact]:
    """Yield what follows from a row among the others of its study."""
    if row.request == Amounts():
        yield Fact("request", "none", "there is nothing to pack by: state it, or measure its use", care=True)
    yield from _implausible(row)
    levels = levels_of(row, growth_percent)
    # Levels at which a bound cuts off what is wanted.
    cut = [level for level, count in levels.items() if count.cut]
    if cut:
        worst = levels[cut[-1]]
        why = f"{worst.wanted} wanted, {worst.replicas} allowed by its most replicas or its scale ceiling"
        yield Fact("unserved", f"at {' and '.join(cut)}", why, care=True)
    if row.sizing.basis is Basis.QUEUE and row.sizing.service_s and levels[Level.PEAK].replicas:
        yield _late(row, row.sizing.service_s, levels[Level.PEAK].replicas)
    yield from _partition_facts(row, max(count.replicas for count in levels.values()))
    yield from _basis_facts(row)
    yield from _init_facts(row)
    yield from _volume_facts(row, survive)
    if row.budget is not None:
        replicas = max(levels[Level.USUAL].replicas, 1)
        allowed = row.budget.allowed(replicas)
        stated = row.budget.min_available and f"at least {row.budget.min_available} stay"
        why = f"{stated or f'at most {row.budget.max_unavailable} away'}, of {replicas}"
        if allowed == 0:
            why += ": no node under it can ever be drained"
        yield Fact("may be down at once", str(allowed), why, care=allowed == 0)
    if row.together:
        others = [entry.full_name for entry in rows if entry.together == row.together and entry is not row]
        yield Fact(
            "shares nodes with", ", ".join(others) or "nobody yet", f"group '{row.together}', replica by replica"
        )
    if row.service:
        others = [e.full_name for e in rows if e.service == row.service and e.full_name != row.full_name]
        yield Fact("instance of", row.service, f"others: {', '.join(others) or 'none'}")


def _implausible(row: Demand) -> Iterator[Fact]:
    """Yield what hardly was meant: a request that lacks its unit, or has another one."""
    cpu, memory = row.request.cpu_millicores, row.request.memory_bytes
    if 0 < memory < LEAST_MEANT_BYTES:
        yield Fact("odd request", f"{memory} bytes of memory", "under 1 MiB: is its unit missing?", care=True)
    elif cpu and memory and not LEAST_BYTES_A_CORE <= 1000 * memory / cpu <= MOST_BYTES_A_CORE:
        value = f"{show_memory(memory)} of memory beside {show_cpu(cpu)} of CPU"
        why = "a hundred times off what a core usually has beside it, 4 GiB: check both units"
        yield Fact("odd request", value, why, care=True)


def _late(row: Demand, service_s: float, replicas: int) -> Fact:
    """Return the share of arrivals at peak that wait too long with the replicas that run then."""
    sizing = row.sizing
    share = 100 * late_share(sizing.peak * service_s, replicas, (sizing.wait_s or 0) / service_s)
    why = f"{sizing.peak:g} a second of {service_s:g} s each on {replicas} replicas (Erlang C)"
    return Fact(f"wait over {sizing.wait_s:g} s at peak", f"{share:.1f} %", why, care=share > sizing.late_percent)


def _partition_facts(row: Demand, replicas: int) -> Iterator[Fact]:
    parts = row.partitioned
    if parts is None:
        return
    why = f"{parts.partitions} partitions x {parts.copies} copies: more than {parts.ceiling} nodes cannot be used"
    yield Fact("scale ceiling", f"{parts.ceiling} replicas", why, care=replicas >= parts.ceiling)
    # No more replicas than the ceiling can hold anything.
    holders = max(min(replicas, parts.ceiling), 1)
    yield Fact("leaders", f"{-(-parts.partitions // holders)} a replica", f"{parts.partitions} over {holders} replicas")
    seconds = parts.resync_seconds(replicas)
    if seconds is not None:
        why = f"{show_memory(parts.data_bytes * parts.copies // holders)} a replica at {show_memory(parts.resync_bytes_per_s or 0)} a second"
        yield Fact("copies whole again in", _duration(seconds), why, care=seconds > 3600)
    room = sum(volume.size_bytes for volume in row.pod.volumes)
    held = parts.data_bytes * parts.copies // holders
    if 0 < room < held:
        why = f"a replica holds {show_memory(held)}, its volumes have {show_memory(room)}"
        yield Fact("volumes too small", show_memory(held - room), why, care=True)
    if parts.copies == 1:
        yield Fact("copies", "1", "a lost replica is lost data until it is back", care=True)


def _init_facts(row: Demand) -> Iterator[Fact]:
    """Yield the init container that rules the request: it asks for more than all that runs afterwards."""
    running = total(entry.request for entry in row.pod.containers if entry.role != "init") + row.pod.overhead
    for name, show in (("cpu_millicores", show_cpu), ("memory_bytes", show_memory)):
        # The largest init container in this resource; it rules where it asks for more than everything that follows.
        ruling = max(
            (entry for entry in row.pod.containers if entry.role == "init"),
            key=lambda entry: getattr(entry.request, name),
            default=None,
        )
        if ruling is not None and getattr(ruling.request, name) > getattr(running, name) > 0:
            amount, later = show(getattr(ruling.request, name)), show(getattr(running, name))
            kind = "CPU" if name == "cpu_millicores" else "memory"
            yield Fact(
                f"{kind} ruled by", f"init container {ruling.name}", f"it asks {amount}, all that runs after it {later}"
            )


def _basis_facts(row: Demand) -> Iterator[Fact]:
    """Yield that the replicas of the sheet count for nothing where others follow from load or use."""
    if row.sizing.basis in (Basis.RATE, Basis.QUEUE, Basis.USAGE):
        why = f"they follow from its load ({basis_words(row)}); the sheet's {row.replicas} have no effect"
        yield Fact("replicas of the sheet", "not used", why, care=False)


def _volume_facts(row: Demand, survive: Survival) -> Iterator[Fact]:
    volumes = row.pod.volumes
    if not volumes:
        return
    size = sum(volume.size_bytes for volume in volumes)
    why = f"{len(volumes)} attachments on its node: " + ", ".join(volume.name for volume in volumes)
    yield Fact("volumes a replica", show_memory(size) if size else "size not stated", why, care=not size)
    # Only promises that move replicas are spoilt by a volume that stays.
    if row.pod.bound_to_zone and row.promised and (row.survive_zone or survive) in (Survival.LANDING, Survival.GROWING):
        why = "its volume stays behind: only replicas that stand elsewhere survive the loss of a zone"
        yield Fact("zonal volume", "cannot land in another zone", why, care=True)


def _duration(seconds: float) -> str:
    if seconds < 90:
        return f"{seconds:.0f} s"
    return f"{seconds / 60:.0f} min" if seconds < 5400 else f"{seconds / 3600:.1f} h"


def eligibility(row: Demand, supply: Supply, targets: Targets, demand: Sequence[Demand]) -> Fact:
    """Return on how many of the types for sale a replica can run, and what keeps it from the others."""
    row = with_architecture(row, targets.architecture)
    fitting, labelled = [], 0
    for entry in supply.types:
        if not matches(row, entry.labels()):
            # Labels first: size matters only on types that are allowed.
            continue
        labelled += 1
        usable = node_waterfall(entry, supply, targets, demand).usable
        need = (row.request.cpu_millicores, row.request.memory_bytes, 1)
        if all(have >= want for have, want in zip(usable, need, strict=True)):
            fitting.append(entry)
    labels = ", ".join(f"{key}={value}" for key, value in sorted(row.node_labels.items())) or "no label asked"
    why = f"lacking a label: {len(supply.types) - labelled} ({labels}); too small: {labelled - len(fitting)}"
    least = min(fitting, key=lambda entry: (entry.capacity.cpu_millicores, entry.capacity.memory_bytes), default=None)
    if least is not None:
        why += f"; the smallest is {least.name}"
    else:
        why += f"; it asks {show_cpu(row.request.cpu_millicores)} CPU and {show_memory(row.request.memory_bytes)}"
    return Fact("may run on", f"{len(fitting)} of {len(supply.types)} types", why, care=not fitting)

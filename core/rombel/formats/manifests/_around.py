"""Objects beside the workloads: claims, priority classes, autoscalers and disruption budgets."""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import replace

from rombel.formats._yaml import Located
from rombel.formats.manifests._notes import Notes
from rombel.formats.manifests._pod_spec import Around
from rombel.model.demand import Basis, Budget, Demand, Sizing

MOST_REPLICAS = 10**6
"""More replicas than this are a slip."""

_DEFAULT_TARGET = 80
"""CPU target of the older autoscaler object where it states none (API reference, from memory)."""


def namespace_of(item: Located) -> str:
    """Return the namespace of an object; ``default`` where it states none."""
    return item.text("metadata", "namespace") or "default"


class Labelled:
    """Finds workloads by their labels without looking at every one: a cluster has tens of thousands."""

    def __init__(self, rows: Sequence[Demand]) -> None:
        self._rows = rows
        self._carrying: dict[tuple[str, str, str], list[int]] = defaultdict(list)
        self._within: dict[str, list[int]] = defaultdict(list)
        for index, row in enumerate(rows):
            self._within[row.namespace].append(index)
            for key, value in row.labels.items():
                self._carrying[row.namespace, key, value].append(index)

    def chosen(self, namespace: str, labels: Mapping[str, str]) -> list[int]:
        """Return the places of the rows of a namespace that carry all of these labels; no label chooses all."""
        lists = [self._carrying.get((namespace, key, value), []) for key, value in labels.items()]
        # By its rarest label: most labels of a cluster are on thousands of workloads.
        fewest = min(lists, key=len, default=self._within.get(namespace, []))
        return [index for index in fewest if labels.items() <= self._rows[index].labels.items()]


def around(objects: Mapping[str, Sequence[Located]], notes: Notes) -> Around:
    """Return what pods refer to by name."""
    claims = {}
    for item in objects.get("PersistentVolumeClaim", ()):
        spec = item.get("spec")
        if spec is not None:
            claims[namespace_of(item), item.text("metadata", "name")] = spec
            notes.understood["claim"] += 1
    priorities = {}
    for item in objects.get("PriorityClass", ()):
        value = item.get("value")
        # A class without a number raises nobody, and is told as a field that is not read.
        if value is not None and isinstance(value.value, int):
            priorities[item.text("metadata", "name")] = value.value
            notes.understood["priority class"] += 1
    return Around(claims, priorities)


def with_autoscalers(rows: Iterable[Demand], items: Iterable[Located], notes: Notes) -> list[Demand]:
    """Return the rows with the ranges that autoscalers give them; an autoscaler without its workload is noted."""
    found = {row.full_name: row for row in rows}
    for item in items:
        name = f"{namespace_of(item)}/{item.text('spec', 'scaleTargetRef', 'name')}"
        # Taken without being used: names are unique over kinds here, and what was taken is not told as unread.
        item.text("spec", "scaleTargetRef", "kind"), item.text("metadata", "name")
        if name not in found:
            notes.ignore(item.line, f"autoscaler {item.text('metadata', 'name')}", f"{name} is not in the text")
            continue
        least, most = item.get("spec", "minReplicas"), item.get("spec", "maxReplicas")
        # The API's own default of the least is 1; the most has none and must be stated.
        low, high = _whole(least, 1), _whole(most, 0)
        if not max(low, 1) <= high <= MOST_REPLICAS:
            stated = most or item
            reason = f"The autoscaler of {name} needs maxReplicas from its minReplicas to {MOST_REPLICAS}."
            notes.faults.append(
                stated.fault("manifest.range", "spec.maxReplicas", reason, "State both, in that order.")
            )
            continue
        notes.understood["autoscaler"] += 1
        sizing = Sizing(Basis.RANGE, least=low, most=high, target_percent=_target(item, notes))
        row = found[name]
        # As the autoscaler would at once, were it switched on over this workload.
        found[name] = replace(row, sizing=sizing, replicas=min(max(row.replicas, low), high))
    return list(found.values())


def _whole(stated: Located | None, default: int) -> int:
    return stated.value if stated is not None and isinstance(stated.value, int) else default


def _target(item: Located, notes: Notes) -> int:
    """Return the CPU target in percent of the request."""
    # The first version of the object, which clusters still hand out where it is asked for.
    old = item.get("spec", "targetCPUUtilizationPercentage")
    if old is not None and isinstance(old.value, int) and old.value > 0:
        return min(old.value, 100)
    metrics = item.get("spec", "metrics")
    for entry in metrics.items() if metrics else []:
        share = entry.get("resource", "target", "averageUtilization")
        if entry.text("resource", "name") == "cpu" and share is not None and isinstance(share.value, int):
            entry.text("type"), entry.text("resource", "target", "type")
            # More than the request can be asked for there; a plan packs by requests and takes it for all of it.
            return max(1, min(share.value, 100))
        notes.ignore(entry.line, "an autoscaler's metric", "only the use of CPU sets a target here")
    return _DEFAULT_TARGET


def with_budgets(rows: Iterable[Demand], items: Sequence[Located], notes: Notes) -> list[Demand]:
    """Return the rows with the disruption budgets that select their pods."""
    found = list(rows)
    labelled = Labelled(found)
    for item in items:
        chosen = item.mapping("spec", "selector", "matchLabels")
        budget = Budget(item.text("spec", "minAvailable"), item.text("spec", "maxUnavailable"))
        stated = [text for text in (budget.min_available, budget.max_unavailable) if text]
        if len(stated) != 1 or not re.fullmatch(r"[0-9]{1,6}%?", stated[0]):
            reason = "A disruption budget states either minAvailable or maxUnavailable, a count or a percentage."
            notes.faults.append(item.fault("manifest.budget", "spec", reason, "State one of them, such as 2 or 50%."))
            continue
        # An empty selector would choose every pod of the namespace: nobody means one budget for all, so it is told.
        places, name = labelled.chosen(namespace_of(item), chosen) if chosen else [], item.text("metadata", "name")
        for index in places:
            found[index] = replace(found[index], budget=budget)
        if places:
            notes.understood["disruption budget"] += 1
        else:
            why = "it selects no workload of the text by equal labels"
            notes.ignore(item.line, f"disruption budget {name}", why)
    return found

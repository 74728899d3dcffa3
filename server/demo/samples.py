"""Files to import, made from the demo: manifests, a Compose file, a spreadsheet, a cluster's listing, a month of charges and usage series."""

from __future__ import annotations

import csv
import io
import json
from collections.abc import Iterable
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import yaml

from demo.charges import SURPRISING, actual_charges
from demo.cluster import demo_listing, workload_object
from demo.demand import summer_demand
from demo.usage import demo_usage
from rombel.model.measured import Measured

ZONES = ("amber", "birch", "cedar")


def write_samples(folder: Path) -> list[str]:
    """Write every file into a folder and return their names."""
    rows = summer_demand()
    usage = list(demo_usage([row for row in rows if row.namespace in ("bookings", "fares")]))
    files = {
        "bookings.yaml": yaml.safe_dump_all(
            [workload_object(r) for r in rows if r.namespace == "bookings"] + _beside()
        ),
        "cafes.compose.yaml": _COMPOSE,
        "crew-office.csv": _SPREADSHEET,
        "cluster.json": json.dumps(demo_listing(rows, ZONES), indent=1),
        "charges.csv": actual_charges(*SURPRISING),
        "usage.csv": long_csv(usage),
        "usage-range-query.json": _range_query(usage[:16]),
        "usage-openmetrics.txt": _openmetrics(usage[:8]),
    }
    folder.mkdir(parents=True, exist_ok=True)
    for name, text in files.items():
        (folder / name).write_text(text, "utf-8")
    return list(files)


def _beside() -> list[dict[str, Any]]:
    """Return an autoscaler and a disruption budget of bookings."""
    target = {"type": "Utilization", "averageUtilization": 65}
    scaler = {
        "apiVersion": "autoscaling/v2",
        "kind": "HorizontalPodAutoscaler",
        "metadata": {"name": "calendar", "namespace": "bookings"},
        "spec": {
            "scaleTargetRef": {"kind": "Deployment", "name": "calendar"},
            "minReplicas": 3,
            "maxReplicas": 12,
            "metrics": [{"type": "Resource", "resource": {"name": "cpu", "target": target}}],
        },
    }
    budget = {
        "apiVersion": "policy/v1",
        "kind": "PodDisruptionBudget",
        "metadata": {"name": "holds", "namespace": "bookings"},
        "spec": {"minAvailable": "50%", "selector": {"matchLabels": {"app": "holds"}}},
    }
    return [scaler, budget]


_COMPOSE = """name: cafes
services:
  till-sync:
    image: invented/till-sync
    deploy:
      replicas: 10
      resources:
        reservations: {cpus: "0.25", memory: 640m}
        limits: {cpus: "0.5", memory: 1gb}
  menu-board:
    image: invented/menu-board
    scale: 3
    cpus: 0.2
    mem_limit: 256m
  stock:
    image: invented/stock
    deploy:
      replicas: 4
      placement: {constraints: ["node.labels.kubernetes.io/arch == amd64"], max_replicas_per_node: 2}
      resources: {reservations: {cpus: "0.25", memory: 1gb}}
    volumes: ["shelf:/var/lib/stock"]
volumes:
  shelf: {}
"""

_SPREADSHEET = """Area;App;Instances;vCPU;RAM;Team;Remark
crew;rosters;6;0.6;2.5;People;as before
crew;training;2;0.25;1;People;half the size
crew;sick-notes;3;0.2;0.5;People;new in spring
"""


def long_csv(series: Iterable[Measured]) -> str:
    """Return the series as CSV, a line for each time and replica."""
    out = io.StringIO(newline="")
    writer = csv.writer(out)
    writer.writerow(["time", "namespace", "name", "replica", "cpu", "memory"])
    pairs = list(series)
    for cpu, memory in zip(pairs[::2], pairs[1::2], strict=True):
        own = cpu.labels
        for moment, cores, held in zip(cpu.times_s, cpu.values, memory.values, strict=True):
            at = datetime.fromtimestamp(moment, UTC).strftime("%Y-%m-%dT%H:%M:%SZ")
            measured = ["", ""] if cores != cores else [f"{cores:.4f}", f"{held:.0f}"]
            writer.writerow([at, own["namespace"], own["workload"], own["pod"], *measured])
    return out.getvalue()


def _range_query(series: Iterable[Measured]) -> str:
    """Return the series as the answer of a metrics range query."""
    result = [
        {
            "metric": {"__name__": entry.metric} | dict(entry.labels),
            "values": [
                [moment, f"{value:.6g}"]
                for moment, value in zip(entry.times_s, entry.values, strict=True)
                if value == value
            ],
        }
        for entry in series
    ]
    return json.dumps({"status": "success", "data": {"resultType": "matrix", "result": result}})


def _openmetrics(series: Iterable[Measured]) -> str:
    """Return the series as OpenMetrics text."""
    lines: list[str] = []
    ordered = sorted(series, key=lambda entry: entry.metric)
    last = ""
    for entry in ordered:
        if entry.metric != last:
            lines.append(f"# TYPE {entry.metric} gauge")
            last = entry.metric
        labels = ",".join(f'{key}="{value}"' for key, value in entry.labels.items())
        pairs = zip(entry.times_s, entry.values, strict=True)
        lines += [f"{entry.metric}{{{labels}}} {value:.6g} {moment:.0f}" for moment, value in pairs if value == value]
    return "\n".join([*lines, "# EOF"]) + "\n"

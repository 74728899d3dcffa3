"""Everything around a workload: autoscalers, budgets, claims, running clusters, Compose files, mapped spreadsheets."""

import json
import unittest
from collections.abc import Iterator
from dataclasses import replace
from typing import Any

from hypothesis import given, settings
from hypothesis import strategies as st

from rombel.formats import (
    CSV_COLUMNS,
    Mapped,
    cell_as_typed,
    cells_of,
    read_compose,
    read_demand_cells,
    read_demand_csv,
    read_headings,
    read_manifests,
    write_demand_csv,
)
from rombel.formats.demand_columns import merged
from rombel.model.demand import Basis, Budget, Demand, Partitioned, PodDetail, Sizing, Volume, WorkloadKind
from rombel.model.fit_problem import Survival
from rombel.model.pod import Amounts
from rombel.model.traffic import Traffic

POD = {"containers": [{"name": "a", "resources": {"requests": {"cpu": "500m", "memory": "1Gi"}}}]}
TYPE, ZONE = "node.kubernetes.io/instance-type", "topology.kubernetes.io/zone"


# In one namespace, where nothing else is said.
def thing(kind: str, name: str, spec: object = None, **more: object) -> dict[str, object]:
    meta = {"name": name, "namespace": "shop", **more.pop("metadata", {})}  # type: ignore[dict-item]
    return {"kind": kind, "metadata": meta, **({"spec": spec} if spec is not None else {}), **more}


def template(**more: object) -> dict[str, object]:
    return {"template": {"metadata": {"labels": {"app": "api"}}, "spec": {**POD, **more}}}


def listed(*items: object) -> str:
    return json.dumps({"kind": "List", "apiVersion": "v1", "items": list(items)})


def pod(name: str, node: str, owner: tuple[str, str], **labels: str) -> dict[str, object]:
    owners = [{"kind": owner[0], "name": owner[1], "controller": True}]
    spec = {**POD, **({"nodeName": node} if node else {})}
    return thing("Pod", name, spec, metadata={"ownerReferences": owners, "labels": labels}, status={"phase": "Running"})


def node(name: str, zone: str) -> dict[str, object]:
    labels = {TYPE: "tern-4", ZONE: zone}
    return thing(
        "Node",
        name,
        metadata={"labels": labels},
        status={"allocatable": {"cpu": "3920m", "memory": "14Gi", "pods": "110"}},
    )


class TestAround(unittest.TestCase):
    def test_autoscaler_budget_claims_and_priority_reach_their_workload(self) -> None:
        scaler = {"scaleTargetRef": {"kind": "Deployment", "name": "api"}, "minReplicas": 4, "maxReplicas": 9}
        scaler["metrics"] = [{"type": "Resource", "resource": {"name": "cpu", "target": {"averageUtilization": 55}}}]
        claim = {"resources": {"requests": {"storage": "20Gi"}}}
        volumes = [{"name": "d", "persistentVolumeClaim": {"claimName": "disk"}}, {"name": "tmp", "emptyDir": {}}]
        reading = read_manifests(
            listed(
                thing("Deployment", "api", {"replicas": 2, **template(volumes=volumes, priorityClassName="high")}),
                thing("HorizontalPodAutoscaler", "api", scaler),
                # It scales what is not in the text: told, and no fault, as a text is often part of a whole.
                thing("HorizontalPodAutoscaler", "stray", {**scaler, "scaleTargetRef": {"name": "gone"}}),
                thing(
                    "PodDisruptionBudget", "api", {"minAvailable": "50%", "selector": {"matchLabels": {"app": "api"}}}
                ),
                thing("PersistentVolumeClaim", "disk", claim),
                thing("PriorityClass", "high", value=1000),
                thing(
                    "StatefulSet",
                    "db",
                    {**template(), "volumeClaimTemplates": [{"metadata": {"name": "data"}, "spec": claim}]},
                ),
                thing("Job", "once", {"parallelism": 3, **template()}),
                thing("CronJob", "nightly", {"jobTemplate": {"spec": {"parallelism": 2, **template()}}}),
            )
        )
        self.assertEqual(reading.faults, ())
        rows = {row.name: row for row in reading.rows}
        api = rows["api"]
        self.assertEqual(api.sizing, Sizing(Basis.RANGE, least=4, most=9, target_percent=55))
        # Two are stated and at least four are scaled to: four run.
        self.assertEqual((api.replicas, api.budget, api.priority), (4, Budget(min_available="50%"), 1000))
        self.assertEqual(api.pod.volumes, (Volume("disk", 20 * 2**30),))
        self.assertEqual(rows["db"].pod.volumes, (Volume("data", 20 * 2**30),))
        self.assertEqual(
            [(rows[n].kind, rows[n].replicas) for n in ("once", "nightly")],
            [(WorkloadKind.JOB, 3), (WorkloadKind.JOB, 2)],
        )
        self.assertIn("autoscaler stray", [entry.what for entry in reading.ignored])

    def test_a_listing_says_what_runs_where_and_names_workloads_by_their_pods(self) -> None:
        reading = read_manifests(
            listed(
                node("n1", "amber"),
                node("n2", "birch"),
                thing(
                    "ReplicaSet",
                    "api-5c",
                    {"replicas": 2, **template()},
                    metadata={"ownerReferences": [{"kind": "Deployment", "name": "api"}]},
                ),
                pod("api-5c-1", "n1", ("ReplicaSet", "api-5c")),
                pod("api-5c-2", "n2", ("ReplicaSet", "api-5c")),
                # Its deployment is not listed: the set's name without the hash of its template is the deployment's.
                pod("web-9f-1", "n2", ("ReplicaSet", "web-9f"), **{"pod-template-hash": "9f"}),
                pod("web-9f-2", "", ("ReplicaSet", "web-9f"), **{"pod-template-hash": "9f"}),
                pod("agent-1", "n1", ("DaemonSet", "agent")),
                pod("agent-2", "n2", ("DaemonSet", "agent")),
                # The node runs it by itself; it is part of what the node keeps and of no workload.
                pod("static-n1", "n1", ("Node", "n1")),
            )
        )
        self.assertEqual(reading.faults, ())
        self.assertEqual({row.full_name: (row.kind, row.replicas) for row in reading.rows}, {
            "shop/api": (WorkloadKind.REPLICATED, 2),
            "shop/web": (WorkloadKind.REPLICATED, 2),
            "shop/agent": (WorkloadKind.DAEMON, 0),
        })  # fmt: skip
        running = reading.running
        assert running is not None
        self.assertEqual(running.counts(), {("tern-4", "amber"): 1, ("tern-4", "birch"): 1})
        self.assertEqual(running.replicas["n2"], {"shop/api": 1, "shop/web": 1, "shop/agent": 1})
        self.assertEqual(running.waiting, {"shop/web": 1})
        stray = read_manifests(listed(node("n1", "amber"), pod("x", "n7", ("StatefulSet", "x"))))
        self.assertEqual([fault.code for fault in stray.faults], ["manifest.node"])
        for double in (node("n1", "amber"), pod("x", "n1", ("StatefulSet", "x"))):
            twice = read_manifests(listed(node("n1", "amber"), pod("x", "n1", ("StatefulSet", "x")), double))
            self.assertEqual([fault.code for fault in twice.faults], ["manifest.twice"])

    @given(
        st.sampled_from(
            ["", "metadata", "spec", "spec.template", "spec.template.spec", "spec.template.spec.containers.0"]
        )
    )
    def test_no_field_disappears_unsaid(self, index: str) -> None:
        item = json.loads(json.dumps(thing("Deployment", "api", {"replicas": 2, **template()})))
        here: object = item
        for step in filter(None, index.split(".")):
            here = here[int(step)] if isinstance(here, list) else here[step]  # type: ignore[index]
        assert isinstance(here, dict)
        # A field that no reader knows, at each depth of an object.
        here["madeUp"] = {"deep": [1, 2]}
        reading = read_manifests(json.dumps(item))
        ignored = [entry.what for entry in reading.ignored]
        fields = {entry.what for entry in reading.fields}
        self.assertTrue({"Deployment spec.replicas", "Deployment spec.template.metadata.labels.*"} <= fields)
        self.assertEqual(
            [what for what in ignored if "madeUp" in what],
            [f"Deployment {index.replace('.0', '[]') + '.' if index else ''}madeUp"],
        )

    def test_large_json_is_read_the_same_without_its_places(self) -> None:
        items = [
            thing("Deployment", f"w{n}", {"replicas": 2, **template()}, metadata={"annotations": {"x": "y" * 9000}})
            for n in range(130)
        ]
        quick, placed = (
            read_manifests(listed(*items)),
            # A comment makes it YAML and no JSON, so that the reader with places takes it.
            read_manifests(listed(*items).replace("{", "{ \n", 1).replace("\n", "\n#\n", 1)),
        )
        self.assertEqual([cells_of(row) for row in quick.rows], [cells_of(row) for row in placed.rows])
        items[7]["spec"]["replicas"] = -1  # type: ignore[index]
        self.assertEqual(
            (read_manifests(listed(*items)).faults[0].code, read_manifests(listed(*items)).faults[0].line),
            ("manifest.replicas", 1),
        )


STRANGE = st.one_of(
    st.none(), st.booleans(), st.integers(), st.text(max_size=6), st.just([]), st.just({}), st.just([None, {"a": 1}])
)


def places(value: object, path: tuple[object, ...] = ()) -> Iterator[tuple[object, ...]]:
    """Yield the path of every value inside a JSON value."""
    parts = value.items() if isinstance(value, dict) else enumerate(value) if isinstance(value, list) else ()
    for key, entry in parts:
        yield (*path, key)
        yield from places(entry, (*path, key))


WHOLE: dict[str, Any] = json.loads(
    listed(
        node("n1", "amber"),
        pod("web-9f-1", "n1", ("ReplicaSet", "web-9f")),
        thing("Deployment", "api", {"replicas": 2, **template(tolerations=[{"key": "a", "effect": "NoSchedule"}])}),
        thing(
            "HorizontalPodAutoscaler", "api", {"scaleTargetRef": {"name": "api"}, "minReplicas": 1, "maxReplicas": 2}
        ),
        thing("PodDisruptionBudget", "api", {"minAvailable": 1, "selector": {"matchLabels": {"app": "api"}}}),
        thing("PersistentVolumeClaim", "d", {"resources": {"requests": {"storage": "1Gi"}}}),
    )
)
SERVICES: dict[str, Any] = {
    "services": {
        "a": {
            "scale": 2,
            "deploy": {"resources": {"limits": {"cpus": "1", "memory": "1g"}}, "placement": {"constraints": ["x"]}},
        }
    },
    "volumes": {"v": {}},
}


class TestWhatever(unittest.TestCase):
    @settings(max_examples=60)
    @given(st.data())
    def test_a_text_with_anything_anywhere_ends_in_rows_or_faults(self, data: st.DataObject) -> None:
        for whole, read in ((WHOLE, read_manifests), (SERVICES, read_compose)):
            value = json.loads(json.dumps(whole))
            *above, last = data.draw(st.sampled_from(list(places(value))))
            here = value
            for step in above:
                here = here[step]
            here[last] = data.draw(STRANGE)
            reading = read(json.dumps(value))
            self.assertTrue(reading.rows or reading.faults or reading.running)
            # What stands in a text with its place must not get into a value by mistake.
            self.assertNotIn("Located(", repr(reading))
            for row in reading.rows:
                self.assertEqual(set(cells_of(row)), set(CSV_COLUMNS))


class TestCompose(unittest.TestCase):
    def test_services_become_workloads(self) -> None:
        """Field names of the Compose specification; bytes count by 1024 (from memory)."""
        reading = read_compose("""
name: cafes
services:
  till:
    image: x
    deploy:
      replicas: ${TILLS:-3}
      resources: {reservations: {cpus: "0.25", memory: 640m}, limits: {cpus: "1", memory: 1.5gb}}
      placement:
        constraints: [node.labels.disk == fast, node.role != manager]
        max_replicas_per_node: 2
        preferences: [{spread: node.labels.zone}]
    volumes: ["shelf:/data", "./host:/host"]
  agent: {deploy: {mode: global}, cpus: 0.1, mem_limit: 64m}
  silent: {image: x}
volumes: {shelf: {}}
""")
        self.assertEqual(reading.faults, ())
        till, agent, silent = reading.rows
        self.assertEqual((till.full_name, till.replicas, till.request), ("cafes/till", 3, Amounts(250, 640 * 2**20)))
        self.assertEqual((till.node_labels, till.most_per_node, till.zone_skew), ({"disk": "fast"}, 2, 1))
        self.assertEqual((till.pod.volumes[0].name, till.pod.containers[0].limit), ("shelf", Amounts(1000, 3 * 2**29)))
        self.assertEqual((agent.kind, agent.request), (WorkloadKind.DAEMON, Amounts(100, 64 * 2**20)))
        self.assertEqual(silent.request, Amounts())
        self.assertTrue(
            {"constraint node.role != manager", "request of silent"} <= {entry.what for entry in reading.ignored}
        )

    def test_what_cannot_be_meant_is_refused_with_its_place(self) -> None:
        for body, code in (
            ("services: [a]", "compose.services"),
            ("services: {a: {scale: many}}", "compose.count"),
            ("services: {a: {cpus: a lot}}", "compose.cpus"),
            ("services: {a: {mem_limit: 5 GiB}}", "compose.bytes"),
            ("services: {a: {scale: '${N}'}}", "compose.variable"),
            ("", "compose.services"),
        ):
            self.assertEqual([fault.code for fault in read_compose(body).faults], [code], body)


class TestSpreadsheet(unittest.TestCase):
    SHEET = "Area\tApp\tInstances\tvCPU\tRAM\tTeam\tRemark\ncrew\trosters\t6\t0.6\t2.5\tPeople\told\n"

    def test_headings_are_guessed_and_a_unit_is_asked_where_it_is_missing(self) -> None:
        self.assertEqual(read_headings(self.SHEET).guess, {
            "namespace": "Area", "name": "App", "replicas": "Instances", "cpu": "vCPU", "memory": "RAM", "owner": "Team",
        })  # fmt: skip
        self.assertEqual([fault.code for fault in read_demand_csv(self.SHEET).faults], ["demand.memory"])
        # 2.5 with a unit stated; without one it could be bytes, MB or GiB, and none is guessed.
        (row,) = read_demand_csv(self.SHEET, Mapped(units={"memory": "Gi"})).rows
        self.assertEqual((row.full_name, row.request, row.owner), ("crew/rosters", Amounts(600, 5 * 2**29), "People"))

    def test_a_mapping_overrides_the_guess_and_fixes_what_the_file_lacks(self) -> None:
        text = "service;n;cores;gib\napi;3;1;2\n"
        mapped = Mapped(
            {"name": "service", "service": "", "replicas": "n", "cpu": "cores", "memory": "gib"},
            {"memory": "Gi"},
            {"namespace": "shop"},
        )
        reading = read_demand_csv(text, mapped)
        self.assertEqual((reading.faults, reading.rows[0].full_name, reading.rows[0].service), ((), "shop/api", ""))
        self.assertEqual(read_demand_csv(text, Mapped({"name": "nothing"})).faults[-1].code, "csv.mapping")

    def test_every_column_reads_back_what_it_shows(self) -> None:
        row = Demand(
            "shop", "api", WorkloadKind.STATEFUL, 3, Amounts(250, 2**30), 1, 2, {"a": "b"}, "Team", False, {"c": "d"}, 30,
            "buy", "api", "desk", 7,
            Sizing(Basis.QUEUE, 1, 9, 65, 0.5, 1.25, 3.0, 2.5, 0.75, 1.5, 2.5, 12),
            PodDetail(tolerations=("gpu:NoSchedule",), volumes=(Volume("a", 2**30), Volume("b", 2**20, False)), start_up_s=9,
                      resources={"local_disk_bytes": 2**33, "example/fpga": 2}, node_skew=2, apart=("shop/a", "shop/b")),
            Partitioned(4, 2, 2**40, 2**20),
            Budget(max_unavailable="25%"), traffic=(Traffic("out", 3 * 2**29), Traffic("shop/b", 2**40)),
        )  # fmt: skip
        self.assertEqual(read_demand_csv(write_demand_csv([row])).rows, (row,))
        standing = replace(row, promised=True, survive_zone=Survival.STANDING)
        self.assertEqual(read_demand_csv(write_demand_csv([standing])).rows, (standing,))

    def test_a_stored_row_of_odd_amounts_can_be_edited_elsewhere(self) -> None:
        # One byte came from a measurement; typed it would be refused, and it must not keep other cells from being edited.
        odd = Demand("shop", "api", WorkloadKind.REPLICATED, 3, Amounts(250, 1))
        row, faults = read_demand_cells({"replicas": "4"}, odd)
        self.assertEqual((faults, row and row.replicas, row and row.request), ([], 4, odd.request))
        _, faults = read_demand_cells({"memory": "1"}, odd)
        self.assertEqual([fault.code for fault in faults], ["demand.memory"])

    def test_a_cell_stays_as_typed_while_the_row_asks_for_just_that(self) -> None:
        row, _ = read_demand_cells({"namespace": "shop", "name": "api", "cpu": "0.50", "memory": "2G"})
        assert row is not None
        self.assertEqual([cell_as_typed(row, name) for name in ("cpu", "memory")], ["0.50", "2G"])
        row, _ = read_demand_cells({"cpu": "1"}, row)
        assert row is not None
        self.assertEqual([cell_as_typed(row, name) for name in ("cpu", "memory")], ["1", "2G"])
        sized = replace(row, request=Amounts(1500, 3 * 2**30))
        self.assertEqual([cell_as_typed(sized, name) for name in ("cpu", "memory")], ["1500m", "3Gi"])
        # A text that means another amount than the row has by now is not shown for it.
        odd = replace(row, provenance=replace(row.provenance, typed={"memory": "2,000"}))
        self.assertEqual(cell_as_typed(odd, "memory"), "1953125Ki")

    def test_a_text_changes_only_what_it_tells_of(self) -> None:
        before = Demand(
            "shop", "api", WorkloadKind.REPLICATED, 3, Amounts(250, 2**30), owner="Team", journey="buy", promised=False
        )
        reading = read_demand_csv("namespace,name,replicas,cpu,memory\nshop,api,5,1,2Gi\n")
        after = merged(reading.rows[0], before, reading.speaks)
        self.assertEqual(after, replace(before, replicas=5, request=Amounts(1000, 2**31), provenance=after.provenance))

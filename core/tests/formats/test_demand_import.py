"""Demand from manifests and CSV: what is read, what is ignored and why, and every hostile text refused."""

import unittest

from rombel.formats import Mapped, cells_of, read_demand_csv, read_headings, read_manifests, write_demand_csv
from rombel.model.demand import WorkloadKind
from rombel.model.pod import Amounts

DEPLOYMENT = """
apiVersion: apps/v1
kind: {kind}
metadata: {{name: {name}, namespace: shop}}
spec:
  replicas: {replicas}
  template:
    metadata: {{labels: {{app: api}}}}
    spec:
      nodeSelector: {{kubernetes.io/arch: amd64}}
      topologySpreadConstraints:
        - {{maxSkew: 1, topologyKey: topology.kubernetes.io/zone, whenUnsatisfiable: DoNotSchedule}}
        - {{maxSkew: 1, topologyKey: topology.kubernetes.io/zone, whenUnsatisfiable: ScheduleAnyway}}
      affinity:
        podAntiAffinity:
          requiredDuringSchedulingIgnoredDuringExecution:
            - {{topologyKey: kubernetes.io/hostname, labelSelector: {{matchLabels: {{app: api}}}}}}
      initContainers:
        - {{name: mesh, restartPolicy: Always, resources: {{requests: {{cpu: 50m, memory: 50Mi}}}}}}
        - {{name: load, resources: {{requests: {{cpu: {init}, memory: 100Mi}}}}}}
      containers:
        - {{name: a, resources: {{requests: {{cpu: 100m, memory: 200Mi}}}}}}
        - {{name: b, resources: {{limits: {{cpu: {limit}, memory: 1Gi}}}}}}
"""


def manifest(
    kind: str = "Deployment", name: str = "api", replicas: str = "3", init: str = "500m", limit: str = "500m"
) -> str:
    return DEPLOYMENT.format(kind=kind, name=name, replicas=replicas, init=init, limit=limit)


class TestManifests(unittest.TestCase):
    def test_a_deployment_is_read_whole(self) -> None:
        reading = read_manifests(manifest() + "---\napiVersion: v1\nkind: Service\nmetadata: {name: api}\n")
        self.assertEqual(reading.faults, ())
        (row,) = reading.rows
        self.assertEqual((row.full_name, row.replicas, row.zone_skew, row.most_per_node), ("shop/api", 3, 1, 1))
        self.assertEqual(row.request, Amounts(650, (200 + 1024 + 50) * 2**20))
        self.assertEqual(row.node_labels, {"kubernetes.io/arch": "amd64"})
        self.assertEqual(row.pod.zone_skew_wish, 1)
        self.assertEqual({entry.what for entry in reading.ignored}, {"Service api"})

    def test_named_resources_follow_the_rule_of_cpu_and_rules_on_a_host_are_kept(self) -> None:
        """Two regular containers ask 1 + 2 fpga, an init step 4: the API's rule asks 4; a limit stands for a request."""
        text = """
kind: Deployment
metadata: {name: maps, namespace: shop}
spec:
  template:
    metadata: {labels: {app: maps}}
    spec:
      topologySpreadConstraints: [{maxSkew: 2, topologyKey: kubernetes.io/hostname, whenUnsatisfiable: DoNotSchedule}]
      affinity:
        podAntiAffinity:
          requiredDuringSchedulingIgnoredDuringExecution:
            - {topologyKey: kubernetes.io/hostname, labelSelector: {matchLabels: {app: api}}}
      initContainers: [{name: load, resources: {limits: {example/fpga: 4}}}]
      containers:
        - {name: a, resources: {requests: {cpu: 1, memory: 1Gi, example/fpga: 1, ephemeral-storage: 2Gi}}}
        - {name: b, resources: {requests: {cpu: 1, memory: 1Gi, hugepages-2Mi: 4Mi}, limits: {example/fpga: 2}}}
"""
        reading = read_manifests(f"{manifest()}---{text}")
        maps = next(row for row in reading.rows if row.name == "maps")
        self.assertEqual(maps.pod.resources, {"example/fpga": 4, "local_disk_bytes": 2**31})
        self.assertEqual((maps.pod.node_skew, maps.pod.apart, maps.most_per_node), (2, ("shop/api",), None))
        self.assertIn("resource hugepages-2Mi", {entry.what for entry in reading.ignored})

    def test_lists_json_and_the_three_kinds_are_read(self) -> None:
        body = '{"spec": {"containers": [{"name": "a", "resources": {"requests": {"cpu": "1", "memory": "1Gi"}}}]}}'
        objects = ",".join(
            f'{{"kind": "{kind}", "metadata": {{"name": "{kind.lower()}"}}, "spec": {{"template": {body}}}}}'
            for kind in ("Deployment", "StatefulSet", "DaemonSet")
        )
        reading = read_manifests(f'{{"kind": "List", "apiVersion": "v1", "items": [{objects}]}}')
        self.assertEqual(
            [row.kind for row in reading.rows], [WorkloadKind.REPLICATED, WorkloadKind.STATEFUL, WorkloadKind.DAEMON]
        )
        self.assertEqual([row.replicas for row in reading.rows], [1, 1, 0])

    def test_hostile_texts_are_refused_with_line_and_column(self) -> None:
        bomb = "a: &a [x,x,x,x,x,x,x,x,x]\n" + "".join(
            f"{chr(98 + n)}: &{chr(98 + n)} [{','.join(['*' + chr(97 + n)] * 9)}]\n" for n in range(8)
        )
        for text, code in (
            ("kind: [unclosed", "yaml.text"),
            (bomb, "yaml.large"),
            ("kind: !!python/object:os.system x", "yaml.tag"),
            ("a: 1\na: 2", "yaml.twice"),
            ("[" * 100 + "]" * 100, "yaml.large"),
            ("[" * 200_000, "yaml.deep"),
            ("- " * 200_000, "yaml.deep"),
            ("just text", "manifest.kind"),
            ("", "manifest.empty"),
            (manifest(limit="1K"), "quantity.grammar"),
            (manifest(init="-1"), "quantity.negative"),
            (manifest(replicas="-3"), "manifest.replicas"),
            (manifest(replicas="many"), "manifest.replicas"),
            (manifest() + "---" + manifest(), "demand.twice"),
            ("kind: Deployment\nmetadata: {name: x}", "manifest.pod"),
            ("x" * (21 * 2**20), "file.large"),
            ("kind: \x00", "yaml.text"),
        ):
            with self.subTest(code=code, text=text[:40]):
                reading = read_manifests(text)
                self.assertIn(code, [fault.code for fault in reading.faults])
        fault = read_manifests(manifest(limit="1K")).faults[0]
        self.assertEqual((fault.line, fault.column > 1), (23, True))


class TestCsv(unittest.TestCase):
    def test_units_in_brackets_and_services_are_understood(self) -> None:
        text = "Service,Instances,CPU (m),RAM (MB),Namespace\nkiosk,3,250,512,cafes\n"
        self.assertEqual(read_headings(text).units, {"cpu": "m", "memory": "M"})
        (row,) = read_demand_csv(text).rows
        self.assertEqual((row.full_name, row.replicas), ("cafes/kiosk", 3))
        self.assertEqual((row.request.cpu_millicores, row.request.memory_bytes), (250, 512 * 10**6))
        own = read_demand_csv(text, Mapped(units={"memory": "Mi"})).rows[0]
        self.assertEqual(own.request.memory_bytes, 512 * 2**20)

    def test_byte_order_mark_quotes_and_line_ends(self) -> None:
        text = '\ufeffname,namespace,replicas,cpu,memory,owner\r\n"a ""b""",shop,2,"1,5",2 GiB,"x,\r\ny"\r\n'
        reading = read_demand_csv(text)
        self.assertEqual(reading.faults, ())
        self.assertEqual((reading.rows[0].name, reading.rows[0].owner), ('a "b"', "x,\r\ny"))
        self.assertEqual(reading.rows[0].request, Amounts(1500, 2**31))

    def test_what_is_written_reads_back_the_same(self) -> None:
        rows = read_manifests(manifest() + "---" + manifest(name="other", kind="StatefulSet")).rows
        back = read_demand_csv(write_demand_csv(rows)).rows
        self.assertEqual([cells_of(row) for row in back], [cells_of(row) for row in rows])

    def test_every_fault_has_its_line_and_field(self) -> None:
        text = "namespace,name,replicas,cpu,memory\nshop,a,-1,1K,1Gi\nshop,b,1\nshop,c,1,1,1Gi\nshop,c,1,1,1Gi\n"
        places = [(fault.code, fault.line, fault.column) for fault in read_demand_csv(text).faults]
        self.assertEqual(
            places, [("demand.count", 2, 3), ("quantity.grammar", 2, 4), ("csv.width", 3, 1), ("demand.twice", 5, 1)]
        )

    def test_wrong_columns_and_broken_quotes_are_refused(self) -> None:
        for text, code in (
            ("", "csv.empty"),
            ("a,b\n1,2\n", "csv.column"),
            ('namespace,name,replicas,cpu,memory\n"a"b,c,1,1,1', "csv.text"),
        ):
            self.assertEqual(read_demand_csv(text).faults[0].code, code)
        reading = read_demand_csv("namespace,name,replicas,cpu,memory,colour,,\na,b,1,1,1Gi,red,,\n")
        self.assertEqual((len(reading.rows), reading.ignored[0].what), (1, "column 'colour'"))

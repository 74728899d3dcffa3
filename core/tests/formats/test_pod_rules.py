"""What a pod template says of nodes, other pods, probes and volumes is read as the API's reference means it, or told as left out."""

import json
from typing import Any
from unittest import TestCase

from rombel.formats import read_manifests
from rombel.formats.reading import DemandReading
from rombel.model.demand import Demand

REQUIRED = "requiredDuringSchedulingIgnoredDuringExecution"
HOST, ZONE = "kubernetes.io/hostname", "topology.kubernetes.io/zone"


def deployment(name: str = "api", **pod: Any) -> dict[str, Any]:
    """Return a Deployment as plain values, with a pod that requests something."""
    containers = [{"name": "main", "resources": {"requests": {"cpu": "100m", "memory": "64Mi"}}, **pod.pop("main", {})}]
    return {
        "apiVersion": "apps/v1",
        "kind": "Deployment",
        "metadata": {"name": name, "namespace": "shop"},
        "spec": {
            "replicas": 2,
            "template": {"metadata": {"labels": {"app": name}}, "spec": {"containers": containers, **pod}},
        },
    }


def read(*objects: dict[str, Any]) -> DemandReading:
    return read_manifests("\n---\n".join(json.dumps(entry) for entry in objects))


def one(*objects: dict[str, Any]) -> Demand:
    """Return the first row of objects without a fault."""
    found = read(*objects)
    assert not found.faults, found.faults
    return found.rows[0]


def spread(key: str, skew: object = 1, when: str = "DoNotSchedule") -> dict[str, Any]:
    return {
        "topologyKey": key,
        "maxSkew": skew,
        "whenUnsatisfiable": when,
        "labelSelector": {"matchLabels": {"a": "b"}},
    }


class TestNodes(TestCase):
    def test_a_selector_and_an_affinity_for_one_value_are_labels_of_the_node(self) -> None:
        expression = {"key": "disk", "operator": "In", "values": ["fast"]}
        affinity = {"nodeAffinity": {REQUIRED: {"nodeSelectorTerms": [{"matchExpressions": [expression]}]}}}
        row = one(deployment(nodeSelector={"kubernetes.io/arch": "arm64"}, affinity=affinity))
        self.assertEqual(dict(row.node_labels), {"kubernetes.io/arch": "arm64", "disk": "fast"})

    def test_a_choice_of_values_or_of_terms_is_not_planned_with_and_said_so(self) -> None:
        several = {"key": "disk", "operator": "In", "values": ["fast", "slow"]}
        single = {"matchExpressions": [{**several, "values": ["fast"]}]}
        for terms in ([{"matchExpressions": [several]}], [single, single]):
            found = read(deployment(affinity={"nodeAffinity": {REQUIRED: {"nodeSelectorTerms": terms}}}))
            self.assertEqual(dict(found.rows[0].node_labels), {})
            self.assertTrue(any("affinity" in entry.what for entry in found.ignored))

    def test_a_selector_that_is_no_mapping_is_a_fault_with_its_line(self) -> None:
        (fault,) = read(deployment(nodeSelector=["arm64"])).faults
        self.assertEqual((fault.code, fault.line > 0), ("manifest.selector", True))

    def test_tolerations_keep_key_value_and_effect(self) -> None:
        stated = [
            {"key": "gpu", "operator": "Equal", "value": "yes", "effect": "NoSchedule"},
            {"key": "spot", "operator": "Exists"},
            {"operator": "Exists"},
        ]
        self.assertEqual(one(deployment(tolerations=stated)).pod.tolerations, ("gpu=yes:NoSchedule", "spot", "*"))


class TestSpread(TestCase):
    def test_each_domain_has_a_rule_of_its_own_and_the_tightest_of_several_counts(self) -> None:
        rules = [spread(ZONE, 3), spread(ZONE, 2), spread(HOST, 4), spread(ZONE, 1, "ScheduleAnyway")]
        row = one(deployment(topologySpreadConstraints=rules))
        self.assertEqual((row.zone_skew, row.pod.node_skew, row.pod.zone_skew_wish), (2, 4, 1))

    def test_other_domains_and_wishes_over_nodes_are_left_out_and_said_so(self) -> None:
        found = read(deployment(topologySpreadConstraints=[spread("rack"), spread(HOST, 1, "ScheduleAnyway")]))
        self.assertIsNone(found.rows[0].pod.node_skew)
        self.assertEqual(sum("spread" in entry.what for entry in found.ignored), 2)

    def test_a_skew_under_one_is_refused_as_the_reference_does(self) -> None:
        for skew in (0, -1, "two", None):
            with self.subTest(skew=skew):
                codes = [
                    fault.code for fault in read(deployment(topologySpreadConstraints=[spread(ZONE, skew)])).faults
                ]
                self.assertEqual(codes, ["manifest.spread"])

    def test_anti_affinity_against_itself_is_one_on_a_node_and_against_others_keeps_them_apart(self) -> None:
        def against(app: str, key: str = HOST) -> dict[str, Any]:
            term = {"topologyKey": key, "labelSelector": {"matchLabels": {"app": app}}}
            return {"podAntiAffinity": {REQUIRED: [term]}}

        self.assertEqual(one(deployment(affinity=against("api"))).most_per_node, 1)
        apart = one(deployment(affinity=against("db")), deployment("db"))
        self.assertEqual((apart.most_per_node, apart.pod.apart), (None, ("shop/db",)))
        self.assertTrue(read(deployment(affinity=against("db", ZONE))).ignored)


class TestPods(TestCase):
    def test_the_slowest_probe_tells_how_long_a_replica_takes_to_serve(self) -> None:
        probes = {"readinessProbe": {"initialDelaySeconds": 12}, "startupProbe": {"initialDelaySeconds": 40}}
        self.assertEqual(one(deployment(main=probes)).pod.start_up_s, 40)
        self.assertIsNone(one(deployment()).pod.start_up_s)

    def test_a_priority_is_that_of_its_class_or_the_number_itself(self) -> None:
        urgent = {
            "apiVersion": "scheduling.k8s.io/v1",
            "kind": "PriorityClass",
            "metadata": {"name": "urgent"},
            "value": 900,
        }
        self.assertEqual(one(deployment(priorityClassName="urgent"), urgent).priority, 900)
        self.assertEqual(one(deployment(priority=7, priorityClassName="urgent"), urgent).priority, 7)
        unknown = read(deployment(priorityClassName="urgent"))
        self.assertEqual((unknown.rows[0].priority, bool(unknown.ignored)), (0, True))

    def test_a_claim_brings_its_size_and_one_without_a_size_is_a_fault(self) -> None:
        claim = {
            "apiVersion": "v1",
            "kind": "PersistentVolumeClaim",
            "metadata": {"name": "data", "namespace": "shop"},
            "spec": {"resources": {"requests": {"storage": "20Gi"}}},
        }
        pod = deployment(volumes=[{"name": "d", "persistentVolumeClaim": {"claimName": "data"}}, {"name": "tmp"}])
        (volume,) = one(pod, claim).pod.volumes
        self.assertEqual((volume.name, volume.size_bytes), ("data", 20 * 2**30))
        (volume,) = read(pod).rows[0].pod.volumes
        self.assertEqual(volume.size_bytes, 0)
        (fault,) = read(pod, {**claim, "spec": {}}).faults
        self.assertEqual(fault.code, "manifest.claim")

    def test_a_thousandth_of_a_byte_is_asked_about_and_never_rounded(self) -> None:
        main = {"resources": {"requests": {"cpu": "100m", "memory": "64m"}}}
        (fault,) = read(deployment(main=main)).faults
        self.assertEqual((fault.code, "Mi" in fault.fix), ("quantity.unit", True))

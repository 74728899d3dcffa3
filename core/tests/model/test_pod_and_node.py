"""Pod and node arithmetic against the published worked examples."""

import unittest

from rombel.errors import InputRefused
from rombel.model.node import ReservationRule, allocatable
from rombel.model.pod import Amounts, InitStep, effective_request
from rombel.model.quantity import memory_bytes

MI = 2**20


def amounts(cpu: int, mebibytes: int) -> Amounts:
    return Amounts(cpu, mebibytes * MI)


class TestEffectiveRequest(unittest.TestCase):
    def test_overhead_is_added_to_the_sum_of_containers(self) -> None:
        # Documentation "Pod Overhead", worked example (text from memory, sum recomputed).
        got = effective_request([amounts(500, 100), amounts(1500, 100)], overhead=amounts(250, 120))
        self.assertEqual(got, amounts(2250, 320))

    def test_init_steps_count_by_their_largest_per_resource(self) -> None:
        # API reference, PodSpec.initContainers.
        inits = [InitStep(amounts(500, 100)), InitStep(amounts(200, 600))]
        self.assertEqual(effective_request([amounts(100, 200)], inits), amounts(500, 600))

    def test_a_sidecar_runs_beside_the_steps_after_it_only(self) -> None:
        # Documentation "Sidecar Containers" (rule from memory): first 550m/650Mi, last 500m/600Mi.
        steps = [InitStep(amounts(500, 100)), InitStep(amounts(200, 600))]
        sidecar = InitStep(amounts(50, 50), keeps_running=True)
        self.assertEqual(effective_request([amounts(100, 200)], [sidecar, *steps]), amounts(550, 650))
        self.assertEqual(effective_request([amounts(100, 200)], [*steps, sidecar]), amounts(500, 600))


class TestAllocatable(unittest.TestCase):
    def test_the_published_scenario(self) -> None:
        # Documentation "Reserve Compute Resources for System Daemons": 14.5 CPU, 28.5Gi as printed (29196Mi).
        rule = ReservationRule(amounts(1000, 2048), amounts(500, 1024), 500 * MI)
        got = allocatable(Amounts(16_000, memory_bytes("32Gi")), rule)
        self.assertEqual(got, Amounts(14_500, 30_614_224_896))

    def test_a_share_is_taken_of_the_capacity_and_eviction_leaves_cpu_alone(self) -> None:
        rule = ReservationRule(Amounts(), Amounts(), 100, eviction_memory_basis_points=1000)
        self.assertEqual(allocatable(Amounts(1000, 1001), rule), Amounts(1000, 1001 - 101 - 100))

    def test_a_node_that_keeps_more_than_it_has_is_refused(self) -> None:
        with self.assertRaises(InputRefused):
            allocatable(amounts(50, 100), ReservationRule())

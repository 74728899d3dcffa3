"""Settings of a rehearsal as JSON: what is written is read again; what breaks the schema is refused with its place."""

import unittest

from rombel.errors import InputRefused
from rombel.formats import RehearsalSettings, WorkloadSettings, read_rehearsal, write_rehearsal
from rombel.model.demand import Budget
from rombel.model.fit_problem import Purchase
from rombel.model.rehearsal import (
    Burst,
    Outage,
    OutageKind,
    PoolRange,
    RehearsalParams,
    ScalingPolicy,
    ScalingRules,
    Select,
)


class TestRehearsalJson(unittest.TestCase):
    def test_what_is_written_is_read_again(self) -> None:
        settings = RehearsalSettings(
            workloads={
                "a/b": WorkloadSettings(
                    2, 9, 50.0, 60, 20, 5, Budget(max_unavailable="25%"),
                    ScalingRules(60, (ScalingPolicy(pods=2, period_s=30),), Select.MIN, 50), ScalingRules(0, (), Select.DISABLED),
                ),
                "a/c": WorkloadSettings(),
            },
            ranges={("node", Purchase.INTERRUPTIBLE, "z"): PoolRange(1, 5, 2)},
            taken_back={("node", Purchase.INTERRUPTIBLE, "z"): 0.02},
            bursts=(Burst(60, "a/b", 3, 600), Burst(90, "a/c", 1)),
            outages=(Outage(OutageKind.ZONE, 10, 20, "z"), Outage(OutageKind.INTERRUPTIONS, 0, 9, per_hour=0.5)),
            params=RehearsalParams(period_s=30, node_start_p95_s=400),
        )  # fmt: skip
        self.assertEqual(read_rehearsal(write_rehearsal(settings)), settings)
        self.assertEqual(read_rehearsal(write_rehearsal(RehearsalSettings())), RehearsalSettings())

    def test_what_breaks_the_schema_is_refused_with_its_place(self) -> None:
        bad = '{"format": "rombel-rehearsal/1", "limits": [{"instance_type": "n"}], "workloads": {"a/b": {"up": {"window_s": 9999}}}}'
        with self.assertRaises(InputRefused) as refused:
            read_rehearsal(bad)
        places = {fault.path for fault in refused.exception.faults}
        self.assertIn("limits[0]", places)
        self.assertIn("workloads['a/b'].up.window_s", places)

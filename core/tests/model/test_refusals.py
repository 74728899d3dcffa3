"""Rows that cannot be planned with are refused, each by its own code and place, and nothing that can be is."""

from collections.abc import Mapping
from dataclasses import replace
from datetime import date
from unittest import TestCase

from rombel.model.bounds import MOST_ALL_REPLICAS, MOST_BYTES, MOST_CPU_MILLICORES, MOST_OWNER, MOST_REPLICAS
from rombel.model.demand import Basis, Demand, PodDetail, Sizing, Volume, WorkloadKind
from rombel.model.house_rules import HouseRules
from rombel.model.intake import Importance, IntakeForm, row_of_form
from rombel.model.levels import sheet_faults
from rombel.model.pod import Amounts

ROW = Demand("shop", "api", WorkloadKind.REPLICATED, 4, Amounts(500, 2**30))


def codes(*rows: Demand, growth: int = 0) -> list[str]:
    """Return the codes of the faults of rows."""
    return [fault.code for fault in sheet_faults(rows, growth)]


class TestRows(TestCase):
    def test_each_slip_is_told_by_a_code_of_its_own(self) -> None:
        slips: Mapping[str, Demand] = {
            "demand.name": replace(ROW, name=""),
            "demand.text": replace(ROW, owner="a\x07b"),
            "demand.resources": replace(ROW, pod=PodDetail(resources={"memory_bytes": 1})),
            "demand.apart": replace(ROW, pod=PodDetail(apart=("shop/api",))),
            "demand.most": replace(ROW, sizing=Sizing(Basis.RANGE, 5, 2)),
            "demand.least": replace(ROW, sizing=Sizing(Basis.RANGE, 5)),
            "demand.per_replica": replace(ROW, sizing=Sizing(Basis.RATE, peak=3)),
            "demand.service_s": replace(ROW, sizing=Sizing(Basis.QUEUE, peak=3)),
            "demand.replicas": replace(ROW, replicas=MOST_REPLICAS + 1),
            "demand.cpu": replace(ROW, request=Amounts(MOST_CPU_MILLICORES + 1, 1)),
            "demand.memory": replace(ROW, pod=PodDetail(volumes=(Volume("v", MOST_BYTES + 1),))),
            "demand.count": replace(ROW, priority=-(2**40)),
            "demand.owner": replace(ROW, owner="x" * (MOST_OWNER + 1)),
        }
        for code, row in slips.items():
            with self.subTest(code=code):
                self.assertIn(code, codes(row))
                self.assertTrue(all(f.path.startswith("demand[1]") for f in sheet_faults([ROW_B, row])))

    def test_loads_out_of_order_and_loads_of_nothing_are_told(self) -> None:
        for loads in ({"trough": 5.0, "usual": 3.0, "peak": 9.0}, {}):
            self.assertIn("demand.peak_load", codes(replace(ROW, sizing=Sizing(Basis.USAGE, **loads))))

    def test_a_name_twice_is_told_of_the_second(self) -> None:
        (fault,) = sheet_faults([ROW, replace(ROW, replicas=1)])
        self.assertEqual((fault.code, fault.path), ("demand.twice", "demand[1]"))

    def test_what_just_fits_passes_and_what_growth_lifts_over_a_bound_does_not(self) -> None:
        largest = replace(ROW, replicas=MOST_REPLICAS, request=Amounts(MOST_CPU_MILLICORES, MOST_BYTES))
        self.assertEqual(codes(largest), [])
        self.assertEqual(codes(largest, growth=1), ["demand.replicas"])

    def test_all_workloads_together_have_a_bound_as_well(self) -> None:
        each = MOST_ALL_REPLICAS // 4
        rows = [replace(ROW, name=f"w{number}", replicas=each) for number in range(4)]
        self.assertEqual(codes(*rows), [])
        self.assertEqual(codes(*rows, replace(ROW, replicas=1)), ["demand.replicas"])

    def test_a_group_must_be_of_one_kind(self) -> None:
        row = replace(ROW, together="pair")
        mate = replace(row, name="mate")
        self.assertEqual(codes(row, mate), [])
        for other in (
            replace(mate, kind=WorkloadKind.DAEMON),
            replace(mate, promised=False),
            replace(mate, sizing=Sizing(Basis.RANGE, 1, 9)),
        ):
            with self.subTest(other=other):
                self.assertEqual(codes(row, other), ["demand.together"])


ROW_B = replace(ROW, name="other")


class TestForm(TestCase):
    TODAY = date(2026, 3, 1)
    FORM = IntakeForm("shop", "api", "Crew", peak_rate=80)

    def test_each_slip_of_a_form_is_told_where_it_stands(self) -> None:
        slips = {
            "intake.name": replace(self.FORM, name="a/b"),
            "intake.amount": replace(self.FORM, peak_rate=0),
            "intake.rate": replace(self.FORM, usual_rate=90),
            "intake.until": replace(self.FORM, until=date(2026, 2, 28)),
        }
        self.assertEqual(list(self.FORM.faults(self.TODAY)), [])
        for code, form in slips.items():
            with self.subTest(code=code):
                self.assertEqual([fault.code for fault in form.faults(self.TODAY)], [code])

    def test_what_is_left_empty_follows_the_house_and_is_said_to(self) -> None:
        rules = HouseRules(intake_per_replica=20.0, required_labels=("team",))
        row, filled = row_of_form(self.FORM, rules)
        self.assertEqual(row.request, rules.intake_request)
        self.assertEqual((row.sizing.basis, row.sizing.per_replica, row.sizing.usual), (Basis.RATE, 20.0, 40.0))
        self.assertEqual(dict(row.labels), {"team": "crew"})
        self.assertEqual(codes(row), [])
        self.assertTrue(any("half the peak" in words for words in filled))

    def test_importance_decides_on_the_promise_and_on_interruptible_nodes(self) -> None:
        rows = {how: row_of_form(replace(self.FORM, importance=how), HouseRules())[0] for how in Importance}
        self.assertEqual({how: row.promised for how, row in rows.items()}, {h: h != "can wait" for h in Importance})
        self.assertEqual(rows[Importance.CAN_WAIT].interruptible_percent, 50)
        self.assertGreater(rows[Importance.VITAL].priority, rows[Importance.NORMAL].priority)

    def test_stated_replicas_need_no_rate(self) -> None:
        row, _ = row_of_form(replace(self.FORM, replicas=7, peak_rate=0), HouseRules())
        self.assertEqual((row.replicas, row.sizing), (7, Sizing()))

"""What is said of a row follows from the row: every fact that needs a look is said exactly where there is reason to."""

from collections.abc import Sequence
from dataclasses import replace
from decimal import Decimal
from unittest import TestCase

from rombel.model.demand import Basis, Budget, Container, Demand, Partitioned, PodDetail, Sizing, Volume, WorkloadKind
from rombel.model.fit_problem import Offer, Purchase, Survival
from rombel.model.node import ReservationRule
from rombel.model.pod import Amounts
from rombel.model.queueing import late_share
from rombel.model.row_facts import basis_words, eligibility, facts_of
from rombel.model.study import SoldType, Supply, Targets

GIB = 2**30
ROW = Demand("shop", "api", WorkloadKind.REPLICATED, 4, Amounts(500, GIB))
OFFER = Offer("amber", Purchase.ON_DEMAND, Decimal("0.1"))
SUPPLY = Supply(
    "EUR",
    ("amber",),
    (
        SoldType("tern-2", Amounts(2000, 8 * GIB), 110, "amd64", (OFFER,)),
        SoldType("petrel-8", Amounts(8000, 32 * GIB), 110, "arm64", (OFFER,)),
    ),
    ReservationRule(Amounts(), Amounts(), 0),
)


def said(row: Demand, *others: Demand, survive: Survival = Survival.NONE) -> dict[str, tuple[str, bool]]:
    """Return what is said of a row: values and whether they need a look, by label."""
    return {fact.label: (fact.value, fact.care) for fact in facts_of(row, (row, *others), 0, survive)}


class TestFacts(TestCase):
    def test_a_plain_row_gives_no_reason_to_look(self) -> None:
        self.assertEqual(said(ROW), {})

    def test_requests_that_hardly_are_meant_are_told_by_both_of_their_units(self) -> None:
        self.assertIn("request", said(replace(ROW, request=Amounts())))
        for request, odd in (
            (Amounts(500, 512), True),
            (Amounts(500, GIB), False),
            (Amounts(1, 600 * GIB), True),
            (Amounts(64_000, 2**21), True),
            (Amounts(0, GIB), False),
        ):
            with self.subTest(request=request):
                self.assertEqual("odd request" in said(replace(ROW, request=request)), odd)

    def test_demand_that_a_bound_cuts_is_told_with_the_levels(self) -> None:
        sizing = Sizing(Basis.RATE, most=5, trough=10, usual=200, peak=400, per_replica=50, target_percent=100)
        value, care = said(replace(ROW, sizing=sizing))["unserved"]
        self.assertEqual((value, care), ("at peak and grown", True))
        self.assertNotIn("unserved", said(replace(ROW, sizing=replace(sizing, most=20))))

    def test_the_share_that_waits_is_that_of_erlangs_formula(self) -> None:
        sizing = Sizing(Basis.QUEUE, trough=1, usual=5, peak=20, service_s=0.5, wait_s=0.25, late_percent=5)
        facts = said(replace(ROW, sizing=replace(sizing, most=11)))
        value, care = facts["wait over 0.25 s at peak"]
        self.assertEqual(value, f"{100 * late_share(10, 11, 0.5):.1f} %")
        self.assertTrue(care)

    def test_partitions_end_the_use_of_more_replicas_and_tell_how_long_copies_are_short(self) -> None:
        parts = Partitioned(partitions=6, copies=2, data_bytes=120 * GIB, resync_bytes_per_s=100 * 2**20)
        facts = said(replace(ROW, kind=WorkloadKind.STATEFUL, partitioned=parts))
        self.assertEqual(facts["scale ceiling"], ("12 replicas", False))
        self.assertEqual(facts["leaders"], ("2 a replica", False))
        seconds = 120 * GIB * 2 / 4 / (100 * 2**20)
        self.assertEqual(facts["copies whole again in"], (f"{seconds / 60:.0f} min", False))
        small = PodDetail(volumes=(Volume("data", 10 * GIB),))
        self.assertTrue(said(replace(ROW, partitioned=parts, pod=small))["volumes too small"][1])
        self.assertTrue(said(replace(ROW, partitioned=replace(parts, copies=1)))["copies"][1])
        self.assertTrue(said(replace(ROW, replicas=12, partitioned=parts))["scale ceiling"][1])

    def test_a_budget_that_lets_no_node_be_drained_is_told(self) -> None:
        for budget, allowed in ((Budget("100%"), 0), (Budget("", "0"), 0), (Budget("75%"), 1), (Budget("", "50%"), 2)):
            with self.subTest(budget=budget):
                self.assertEqual(said(replace(ROW, budget=budget))["may be down at once"], (str(allowed), not allowed))

    def test_a_zonal_volume_needs_a_look_only_under_a_promise_that_moves_replicas(self) -> None:
        row = replace(ROW, pod=PodDetail(volumes=(Volume("data", GIB),)))
        for survive in Survival:
            moves = survive in (Survival.LANDING, Survival.GROWING)
            with self.subTest(survive=survive):
                self.assertEqual("zonal volume" in said(row, survive=survive), moves)
        self.assertNotIn("zonal volume", said(replace(row, promised=False), survive=Survival.LANDING))
        self.assertTrue(said(replace(ROW, pod=PodDetail(volumes=(Volume("data", 0),))))["volumes a replica"][1])

    def test_an_init_container_that_asks_for_more_than_all_that_follows_rules_the_request(self) -> None:
        def pod(init_cpu: int) -> PodDetail:
            return PodDetail(
                containers=(
                    Container("load", "init", Amounts(init_cpu, GIB // 4)),
                    Container("main", "regular", Amounts(400, GIB)),
                )
            )

        self.assertEqual(said(replace(ROW, pod=pod(900)))["CPU ruled by"], ("init container load", False))
        self.assertNotIn("CPU ruled by", said(replace(ROW, pod=pod(400))))
        self.assertNotIn("memory ruled by", said(replace(ROW, pod=pod(900))))

    def test_groups_and_instances_name_the_others(self) -> None:
        mate = replace(ROW, name="cache", together="pair")
        twin = replace(ROW, name="api-2", service="api")
        row = replace(ROW, together="pair", service="api")
        facts = said(row, mate, twin)
        self.assertEqual(facts["shares nodes with"][0], "shop/cache")
        self.assertEqual(facts["instance of"][0], "api")
        self.assertEqual(said(row)["shares nodes with"][0], "nobody yet")


class TestEligibility(TestCase):
    def of(self, row: Demand, demand: Sequence[Demand] = ()) -> tuple[str, bool]:
        fact = eligibility(row, SUPPLY, Targets(), [row, *demand])
        return fact.value, fact.care

    def test_labels_and_size_decide_and_daemons_take_their_part(self) -> None:
        self.assertEqual(self.of(ROW), ("2 of 2 types", False))
        self.assertEqual(self.of(replace(ROW, node_labels={"kubernetes.io/arch": "arm64"})), ("1 of 2 types", False))
        self.assertEqual(self.of(replace(ROW, request=Amounts(2000, GIB))), ("2 of 2 types", False))
        daemon = Demand("ops", "agent", WorkloadKind.DAEMON, 0, Amounts(100, GIB))
        self.assertEqual(self.of(replace(ROW, request=Amounts(2000, GIB)), [daemon]), ("1 of 2 types", False))
        self.assertEqual(self.of(replace(ROW, request=Amounts(9000, GIB))), ("0 of 2 types", True))


class TestWords(TestCase):
    def test_every_basis_says_where_replicas_come_from(self) -> None:
        rows = {
            Basis.FIXED: Sizing(),
            Basis.RANGE: Sizing(Basis.RANGE, 2, 9),
            Basis.RATE: Sizing(Basis.RATE, peak=40, per_replica=10),
            Basis.QUEUE: Sizing(Basis.QUEUE, peak=40, service_s=0.1, wait_s=1),
            Basis.USAGE: Sizing(Basis.USAGE, peak=4000),
        }
        words = {basis: basis_words(replace(ROW, sizing=sizing)) for basis, sizing in rows.items()}
        self.assertEqual(len(set(words.values())), len(Basis))
        self.assertIn("2 to 9", words[Basis.RANGE])
        self.assertIn("4.0 cores", words[Basis.USAGE])
        self.assertIn("every node", basis_words(replace(ROW, kind=WorkloadKind.DAEMON)))

"""What two plans ask and have otherwise is told once, the same from both sides, and nothing is called a cause that need not be one."""

import random
import unittest
from collections import Counter
from dataclasses import replace
from decimal import Decimal

from rombel.comparison import Side, best, input_changes, told, zone_changes
from rombel.comparison.inputs import InputChange
from rombel.model.fit_problem import (
    FitProblem,
    InstanceType,
    Limits,
    NodeLoss,
    Offer,
    OfferKey,
    Purchase,
    Quota,
    Survival,
    Workload,
)

ON, LESS = Purchase.ON_DEMAND, Purchase.INTERRUPTIBLE
OFFERS = tuple(Offer(zone, ON, Decimal(1)) for zone in ("amber", "birch"))
TYPES = (InstanceType("auk", (4, 8), OFFERS), InstanceType("tern", (8, 16), OFFERS))
ROWS = (Workload("shop/api", 4, (1, 2)), Workload("shop/cache", 2, (1, 1)), Workload("shop/web", 3, (2, 1)))
PROBLEM = FitProblem("EUR", ("amber", "birch"), ("cpu", "memory"), (0, 0), TYPES, ROWS, Survival.LANDING)


def with_row(place: int, **fields: object) -> FitProblem:
    """Return the problem with a row that differs."""
    rows = list(ROWS)
    rows[place] = replace(rows[place], **fields)  # type: ignore[arg-type]
    return replace(PROBLEM, workloads=tuple(rows))


def sold(**fields: object) -> FitProblem:
    """Return the problem with other offers of its first type."""
    return replace(PROBLEM, instance_types=(replace(TYPES[0], **fields), TYPES[1]))  # type: ignore[arg-type]


CASES: list[tuple[FitProblem, str, str]] = [
    (replace(PROBLEM, survive_zone=Survival.NONE), "promises", "the loss of a zone is no longer survived by reserved room"),
    (replace(PROBLEM, survive_zone=Survival.GROWING), "promises", "by new nodes on loss and no longer by reserved room"),
    (with_row(1, survive_zone=Survival.NONE), "promises", "no longer survived by reserved room for shop/cache"),
    (replace(PROBLEM, survive_nodes=NodeLoss(2, Survival.LANDING)), "promises", "the loss of any 2 nodes is promised"),
    (replace(PROBLEM, limits=Limits(most_pools=3)), "limits", "most pools: 3 in place of none"),
    (replace(PROBLEM, limits=Limits(headroom={"cpu": 10})), "limits", "kept free of cpu on every node: 10 % in place of 0 %"),
    (replace(PROBLEM, limits=Limits(quotas=(Quota("all", 9),))), "limits", "quota all: 9 nodes in place of none"),
    (with_row(0, replicas=5), "demand", "shop/api has 5 replicas and not 4"),
    (with_row(2, request=(3, 1)), "demand", "shop/web requests 3 cpu and not 2"),
    (with_row(2, zone_skew=1), "demand", "shop/web, spread over zones: 1 in place of free"),
    (replace(PROBLEM, workloads=ROWS[1:]), "demand", "shop/api is gone"),
    (sold(offers=(*OFFERS, Offer("amber", LESS, Decimal("0.3")))), "supply", "interruptible may be bought too"),
    (sold(offers=(Offer("amber", ON, Decimal(2)), OFFERS[1])), "supply", "1 offers are dearer"),
    (replace(PROBLEM, instance_types=TYPES[1:]), "supply", "auk cannot be had"),
]  # fmt: skip


def side(nodes: dict[OfferKey, int], cost: str | None = "100", **down: float) -> Side:
    """Return a plan."""
    return Side("one", "EUR", None if cost is None else Decimal(cost), nodes, down)


class TestInputs(unittest.TestCase):
    def test_each_difference_is_told_once_and_from_the_other_side_with_its_ends_swapped(self) -> None:
        for other, group, words in CASES:
            with self.subTest(words=words):
                (change,) = input_changes(PROBLEM, other)
                self.assertEqual(change.group, group)
                self.assertIn(words, change.words)
                (back,) = input_changes(other, PROBLEM)
                # Prices have no two values: the words say how many moved.
                if change.what != "prices":
                    self.assertEqual((back.before, back.after), (change.after, change.before))

    def test_what_cannot_matter_is_no_difference(self) -> None:
        turned = replace(PROBLEM, workloads=ROWS[::-1], instance_types=TYPES[::-1], zones=PROBLEM.zones[::-1])
        idle = replace(
            PROBLEM,
            resources=("cpu", "memory", "disk"),
            daemon=(0, 0, 0),
            instance_types=tuple(replace(e, allocatable=(*e.allocatable, 9)) for e in TYPES),
            workloads=tuple(replace(w, request=(*w.request, 0)) for w in ROWS),
        )
        for same in (PROBLEM, turned, idle):
            self.assertEqual(input_changes(PROBLEM, same), [])


class TestPlans(unittest.TestCase):
    def test_what_changed_leads_from_the_one_plan_to_the_other(self) -> None:
        rng = random.Random(4)
        keys: list[OfferKey] = [
            (name, kind, zone) for name in "tu" for kind in (ON, LESS) for zone in ("amber", "birch", "cedar")
        ]
        for _ in range(50):
            before, after = (side({key: rng.randint(1, 9) for key in keys if rng.random() < 0.6}) for _ in range(2))
            reached = Counter(before.nodes)
            for change in zone_changes(before, after):
                for (name, purchase), count in change.nodes.items():
                    reached[name, Purchase(purchase), change.zone] += count
            self.assertEqual({key: n for key, n in reached.items() if n}, dict(after.nodes))

    def test_a_cause_is_named_where_there_is_one_alone(self) -> None:
        before = side({("tern-16", ON, "birch"): 4, ("auk", ON, "amber"): 1}, "510", buy=2.0, look=1.0)
        after = side({("tern-16", ON, "birch"): 2, ("auk", ON, "amber"): 1}, "100", buy=5.0 + 1 / 6, look=1.001)
        one = input_changes(PROBLEM, CASES[2][0])
        self.assertEqual(
            told(before, after, one),
            [
                "Birch loses two tern-16, because the loss of a zone is no longer survived by reserved room for shop/cache.",
                "410.00 EUR a month less.",
                "buy is down 3 min 10 s a month more.",
            ],
        )
        several = [*one, InputChange("limits", "most pools", "none", "3", "most pools: 3 in place of none")]
        self.assertNotIn("because", " ".join(told(before, after, several)))
        self.assertIn("2 things are asked otherwise", told(before, after, several)[1])
        self.assertIn("two answers to one question", told(before, after, [])[1])
        self.assertIn("changes no node", told(before, before, one)[1])
        self.assertEqual(
            told(before, before, [])[:2], ["The same nodes run.", "It costs the same, 510.00 EUR a month."]
        )
        self.assertIn("not known", told(before, side({}, None), [])[2])

    def test_many_changes_are_told_as_sums(self) -> None:
        before = side({(f"t{n}", ON, zone): 1 for n in range(6) for zone in ("amber", "birch")})
        after = side({("u", ON, zone): 2 for zone in ("amber", "birch")})
        self.assertIn("4 nodes in place of 12: +4 u, -2 t0, -2 t1 and 4 more", told(before, after, [])[0])
        moved = side({(f"t{n}", ON, zone): 1 for n in range(6) for zone in ("cedar", "dune")})
        self.assertIn("12 nodes as before, others among them, in other zones", told(before, moved, [])[0])

    def test_the_better_figure_is_the_same_from_both_sides(self) -> None:
        self.assertEqual((best([1, 2]), best([2, 1])), ([0], [1]))
        self.assertEqual((best([1, 2], less=False), best([1, 1]), best([None, 1])), ([1], [], []))
        self.assertEqual(best([3, None, 1, 1]), [2, 3])


if __name__ == "__main__":
    unittest.main()

"""Availability against published structures, tables and closed forms; the numbers are recomputed, the sources from memory.

Sources: IEC 61078 (reliability block diagrams), IEC 61508-6 annex D (beta factor), Trivedi 2002 chapters 1 and 3,
Ongaro and Ousterhout 2014 (quorums), and state enumeration where nothing else is named.
"""

import math
import unittest
from decimal import Decimal
from itertools import product
from unittest import TestCase

import numpy as np
from scipy.stats import binom

from rombel.availability.counts import Floats, fewer_of, fewer_up, lost_with_nodes, series_unavailability
from rombel.availability.domains import common_failure, own_failure, region_unavailability, zone_states
from rombel.availability.quorum import Plane, majority, quorum_unavailability
from rombel.model.failure import (
    MINUTES_PER_BUDGET_MONTH,
    MINUTES_PER_YEAR,
    SECONDS_PER_YEAR,
    Failure,
    FailureData,
    FailureKind,
    failure_of,
)
from rombel.model.quantity import HOURS_PER_MONTH


def ones(shares: list[float]) -> Floats:
    """Return how many are lost of nodes that carry one replica each."""
    return lost_with_nodes(tuple((1, 1, share) for share in shares))


class TestNines(TestCase):
    def test_downtime_of_the_nines(self) -> None:
        """A year has 365 days, a budget month 30, a month of the bill 730 h: three nines are 525.6, 43.2 and 43.8 min."""
        for nines, year, month, bill in (
            ("99", 5256, 432, 438),
            ("99.9", 525.6, 43.2, 43.8),
            ("99.95", 262.8, 21.6, 21.9),
            ("99.999", 5.256, 0.432, 0.438),
            ("99.9999", 0.5256, 0.0432, 0.0438),
        ):
            unavailability = float((100 - Decimal(nines)) / 100)
            self.assertAlmostEqual(unavailability * MINUTES_PER_YEAR, year, places=9)
            self.assertAlmostEqual(unavailability * MINUTES_PER_BUDGET_MONTH, month, places=9)
            self.assertAlmostEqual(unavailability * HOURS_PER_MONTH * 60, bill, places=9)

    def test_rate_and_repair(self) -> None:
        """MTTF / (MTTF + MTTR): 8760 h and 4 h give 0.9995435874, 1000 h and 2 h give 0.9980039920."""
        for mttf_h, mttr_h, expected in ((8760, 4, 0.9995435874), (1000, 2, 0.9980039920)):
            failure = Failure(SECONDS_PER_YEAR / 3600 / mttf_h, 3600 * mttr_h)
            self.assertAlmostEqual(1 - failure.unavailability, expected, places=10)
            self.assertAlmostEqual(
                failure_of(failure.unavailability, 60).unavailability, failure.unavailability, places=15
            )


class TestStructures(TestCase):
    def test_series_and_parallel(self) -> None:
        self.assertAlmostEqual(1 - float(series_unavailability([0.01, 0.001, 0.0001])), 0.988911099, places=12)
        for count, expected in ((2, 1e-4), (3, 1e-6)):
            self.assertAlmostEqual(float(fewer_of(1, [0.01] * count)) / expected, 1, places=12)
        front = [1e-4, fewer_of(1, [1e-3, 1e-3])]
        self.assertAlmostEqual(1 - float(series_unavailability(front)), 0.9998990001, places=12)

    def test_k_of_n(self) -> None:
        table = (
            (2, 3, 0.9, 0.972), (2, 3, 0.95, 0.99275), (2, 3, 0.99, 0.999702), (3, 4, 0.99, 0.99940797),
            (3, 5, 0.99, 0.9999901494), (4, 7, 0.99, 0.9999996583302), (9, 10, 0.99, 0.9957337998),
            (10, 12, 0.99, 0.9997943839),
        )  # fmt: skip
        for needed, count, up, expected in table:
            self.assertAlmostEqual(1 - fewer_up(count, needed, 1 - up), expected, delta=5e-11)
            self.assertAlmostEqual(1 - float(fewer_of(needed, [1 - up] * count)), expected, delta=5e-11)

    def test_smallest_count_for_ten(self) -> None:
        """P(at least 10 up) of replicas at 0.99 first reaches 3, 4 and 5 nines with 12, 13 and 13 (Trivedi)."""
        for allowed, count in ((1e-3, 12), (1e-4, 13), (1e-5, 13)):
            self.assertEqual(next(n for n in range(10, 20) if fewer_up(n, 10, 0.01) <= allowed), count)

    def test_many_nines_without_cancellation(self) -> None:
        """Down to 1e-60 and below the tail agrees with the reference library to nine digits; one less it would give 0."""
        for count, needed, unavailability in ((30, 10, 1e-4), (2000, 1900, 0.01), (5000, 4900, 2e-3), (12, 3, 1e-6)):
            reference = float(binom.sf(count - needed, count, unavailability))
            self.assertAlmostEqual(fewer_up(count, needed, unavailability) / reference, 1, places=9)

    def test_poisson_binomial_against_enumeration(self) -> None:
        self.assertTrue(np.allclose(ones([0.1, 0.2, 0.3]), [0.504, 0.398, 0.092, 0.006], atol=1e-15))
        up = (0.99, 0.95, 0.9, 0.999)
        lost = ones([1 - share for share in up])
        self.assertTrue(np.allclose(lost[::-1], [5e-8, 5.63e-5, 0.0064908, 0.1478493, 0.84560355], rtol=1e-9))
        mixed = [0.3, 0.05, 0.2, 0.11]
        for needed in (1, 2, 3, 4):
            unavailability = sum(
                math.prod(share if gone else 1 - share for share, gone in zip(mixed, state, strict=True))
                for state in product((False, True), repeat=4)
                if 4 - sum(state) < needed
            )
            self.assertAlmostEqual(float(fewer_of(needed, mixed)), unavailability, places=15)

    def test_bridge_by_pivoting(self) -> None:
        """The bridge has no series of parallels; conditioned on its cross block it is one either way (Trivedi)."""
        for up, expected in (
            ([0.9] * 5, 0.97848),
            ([0.99] * 5, 0.9997980498),
            ([0.95, 0.9, 0.8, 0.85, 0.99], 0.9906095),
        ):
            first, second, cross, third, fourth = (1 - share for share in up)
            whole = series_unavailability([fewer_of(1, [first, second]), fewer_of(1, [third, fourth])])
            split = fewer_of(1, [series_unavailability([first, third]), series_unavailability([second, fourth])])
            unavailability = (1 - cross) * float(whole) + cross * float(split)
            self.assertAlmostEqual(1 - unavailability, expected, delta=5e-11)

    def test_repairable_with_a_crew_each(self) -> None:
        """At rates .001 and .1 an hour: 1 of 2, 2 of 3 and 3 of 5 (Markov models; a shared crew is not assumed here)."""
        share = Failure(8.76, 36_000).unavailability
        for needed, count, expected in ((1, 2, 9.8029604941e-5), (2, 3, 2.9214763453e-4), (3, 5, 9.5623253070e-6)):
            self.assertAlmostEqual(fewer_up(count, needed, share) / expected, 1, places=9)


class TestZones(TestCase):
    def test_common_cause(self) -> None:
        """Two sites with a beta factor: ((1 - b) u)^2 + b u, to the digits printed."""
        for unavailability, beta, expected, half in (
            (0.001, 0.1, 1.0081e-4, 5e-9), (0.001, 0.05, 5.09025e-5, 5e-11), (0.001, 0.02, 2.09604e-5, 5e-11),
            (0.01, 0.1, 1.081e-3, 5e-7),
        ):  # fmt: skip
            zone = failure_of(unavailability, 3600)
            failures = {thing: Failure(0, 60) for thing in FailureKind} | {FailureKind.ZONE: zone}
            data = FailureData(failures=failures, zone_beta=beta)
            own, whole = own_failure(data), region_unavailability(data)
            both = sum(s.weight for s in zone_states(("a", "b"), own, ()) if len(s.lost) == 2)
            self.assertAlmostEqual(whole + (1 - whole) * both, expected, delta=half)
            shares = common_failure(data).unavailability + own.unavailability
            self.assertAlmostEqual(shares, zone.unavailability, places=15)

    def test_states_of_zones_make_one(self) -> None:
        zone = Failure(2, 7200)
        states = list(zone_states(("a", "b", "c"), zone, (300.0, 375.0, 1e9)))
        self.assertAlmostEqual(sum(state.weight for state in states), 1, places=14)
        self.assertEqual(sorted({state.after_s for state in states}), [0.0, 300.0, 375.0])


class TestQuorum(TestCase):
    def test_majorities(self) -> None:
        self.assertEqual([majority(n) for n in range(1, 10)], [1, 2, 2, 3, 3, 4, 4, 5, 5])
        self.assertEqual([n - majority(n) for n in range(1, 10)], [0, 0, 1, 1, 2, 2, 3, 3, 4])

    def test_even_members_do_not_help(self) -> None:
        up = {n: 1 - fewer_up(n, majority(n), 0.01) for n in (3, 4, 5, 6)}
        self.assertGreater(up[3], up[4])
        self.assertGreater(up[5], up[6])
        self.assertAlmostEqual(up[6], 0.9999804464, delta=5e-11)

    def test_quorum_over_zones(self) -> None:
        """Zones at .999, members at .99 where their zone stands; two zones never beat one zone's own .999."""
        table = (
            ((1, 1, 1), 0.999640314), ((2, 1), 0.998682716), ((3, 0, 0), 0.998702298), ((2, 2, 1), 0.999927307),
            ((3, 2), 0.998960498), ((3, 1, 1), 0.998988968), ((2, 2), 0.997410153), ((1, 1, 1, 1, 1), 0.999986944),
        )  # fmt: skip
        for members, expected in table:
            up = 1 - quorum_unavailability(members, 0.001, 0.01)
            self.assertAlmostEqual(up, expected, delta=5e-10)
            if len(members) == 2:
                self.assertLess(up, 0.999)

    def test_what_intuition_misses_is_said(self) -> None:
        data = FailureData()
        two = " ".join(Plane(3, ("a", "b"), True).surprises(data))
        self.assertIn("holds the majority", two)
        self.assertEqual(Plane(3, ("a", "b"), True).lost_with_zones(), {"a"})
        self.assertIn("no more than 3 do", " ".join(Plane(4, ("a", "b", "c"), True).surprises(data)))
        self.assertEqual(list(Plane(3, ("a", "b", "c"), True).surprises(data)), [])
        self.assertLess(
            Plane(5, ("a", "b", "c"), True).unavailability(data), Plane(3, ("a", "b", "c"), True).unavailability(data)
        )


if __name__ == "__main__":
    unittest.main()

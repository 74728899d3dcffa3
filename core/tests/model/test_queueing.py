"""Erlang's formulas against published tables and worked examples."""

import math
import unittest

from hypothesis import given
from hypothesis import strategies as st
from scipy.stats import norm, poisson

from rombel.model.queueing import erlang_b, erlang_c, fewest_servers, late_share


class TestErlang(unittest.TestCase):
    def test_loads_at_a_blocking_grade_are_those_of_the_published_tables(self) -> None:
        """ITU-T E.500 series and any teletraffic handbook (from memory; recomputed)."""
        for servers, load, grade in (
            (1, 0.01010, 0.01), (2, 0.15259, 0.01), (5, 1.36079, 0.01), (10, 4.46118, 0.01), (20, 12.03061, 0.01),
            (50, 37.90140, 0.01), (100, 84.06416, 0.01), (10, 5.08400, 0.02), (30, 21.93157, 0.02), (5, 2.21847, 0.05),
            (10, 3.09204, 0.001), (100, 75.24198, 0.001),
        ):  # fmt: skip
            self.assertAlmostEqual(erlang_b(load, servers) / grade, 1, delta=1e-3)

    def test_blocking_is_the_last_term_of_a_poisson_cut_off(self) -> None:
        """The reference library's distribution is the oracle."""
        for load, servers in ((1, 2), (3, 5), (10, 10), (20, 25), (300.5, 310)):
            expected = poisson.pmf(servers, load) / poisson.cdf(servers, load)
            self.assertAlmostEqual(erlang_b(load, servers), expected, delta=1e-12)

    def test_waiting_is_that_of_the_textbook_examples(self) -> None:
        """Hillier & Lieberman's county hospital, Gross & Harris' eye clinic (from memory; recomputed)."""
        for load, servers, waits in ((2, 3, 4 / 9), (1, 2, 1 / 3), (8, 10, 0.4091801508), (100, 110, 0.2370075003)):
            self.assertAlmostEqual(erlang_c(load, servers), waits, places=9)
        # The hospital: two an hour arrive, three are served; more than half an hour, more than an hour.
        self.assertAlmostEqual(late_share(2 / 3, 1, 1.5), 0.404, places=3)
        self.assertAlmostEqual(late_share(2 / 3, 1, 3.0), 0.245, places=3)
        self.assertAlmostEqual(late_share(2 / 3, 2, 1.5), 0.0226, places=4)

    def test_many_servers_come_near_the_square_root_rule(self) -> None:
        """Halfin & Whitt 1981, Operations Research 29:567-588 (from memory): the limit at beta 1 is 0.223361."""
        limit = 1 / (1 + norm.cdf(1) / norm.pdf(1))
        found = [erlang_c(load, load + round(math.sqrt(load))) for load in (100, 400, 900)]
        self.assertAlmostEqual(limit, 0.223361, places=6)
        self.assertEqual(found, sorted(found, reverse=True))
        self.assertLess(found[-1] - limit, 0.005)

    def test_the_fewest_servers_are_those_of_a_search(self) -> None:
        for load, most, expected in ((100, 0.2, 111), (100, 0.05, 119), (400, 0.2, 422)):
            self.assertEqual(fewest_servers(load, 0.0, most), expected)

    @given(st.floats(0.01, 200), st.floats(0, 5), st.floats(0.001, 0.9))
    def test_one_server_fewer_is_late_too_often(self, load: float, wait: float, most: float) -> None:
        servers = fewest_servers(load, wait, most)
        self.assertLessEqual(late_share(load, servers, wait), most + 1e-12)
        self.assertGreater(late_share(load, servers - 1, wait), most - 1e-12)

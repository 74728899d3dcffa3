"""Every load of a node is listed, no other is, and a list that would be too long is given up."""

import itertools
import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from rombel.fit.bounds.all_patterns import MOST_CLASSES, TooLarge, all_patterns, maximal


class TestLoads(unittest.TestCase):
    @settings(max_examples=80, deadline=None)
    @given(st.data())
    def test_against_enumeration(self, data: st.DataObject) -> None:
        classes = data.draw(st.integers(1, 4))
        caps = data.draw(st.lists(st.integers(0, 3), min_size=classes, max_size=classes))
        request = np.array(data.draw(st.lists(st.tuples(*[st.integers(0, 4)] * 2), min_size=classes, max_size=classes)))
        room = data.draw(st.tuples(*[st.integers(0, 9)] * 2))
        apart = np.zeros((classes, classes), bool)
        for one, other in itertools.combinations(range(classes), 2):
            apart[one, other] = apart[other, one] = data.draw(st.booleans())

        def fits(load: tuple[int, ...]) -> bool:
            together = [i for i, count in enumerate(load) if count]
            clash = any(apart[a, b] for a, b in itertools.combinations(together, 2))
            return not clash and bool((np.array(load) @ request <= room).all())

        every = {load for load in itertools.product(*(range(cap + 1) for cap in caps)) if fits(load)}
        found = all_patterns(caps, request, room, apart, 1000)
        self.assertEqual((set(found), len(found)), (every, len(every)))
        full = {a for a in every if not any(a != b and all(x <= y for x, y in zip(a, b, strict=True)) for b in every)}
        self.assertEqual(set(maximal(found)), full)

    def test_a_list_too_long_is_given_up(self) -> None:
        for classes in (12, MOST_CLASSES, 5 * MOST_CLASSES):
            nowhere = np.zeros((classes, classes), bool)
            with self.assertRaises(TooLarge):
                all_patterns([9] * classes, np.ones((classes, 1), np.int64), [50], nowhere, 1000)

"""The examples run and say what their readers are told they say."""

import unittest

from examples import downtime, first_fit

import rombel


class TestExamples(unittest.TestCase):
    def test_the_first_example(self) -> None:
        said = first_fit.main()
        self.assertIn("0.369 EUR an hour", said)
        self.assertIn("1 x tern-4 in birch", said)

    def test_a_notebook_needs_nothing_but_the_door(self) -> None:
        """A node in each zone, each with room for all four replicas: 0.184 + 0.185."""
        self.assertRegex(downtime.main(), r"^It holds: 0\.369 EUR an hour, \d+\.\d\d minutes of downtime a month$")

    def test_everything_at_the_door_is_there(self) -> None:
        for name in rombel.__all__:
            self.assertIsNotNone(getattr(rombel, name))
        with self.assertRaises(AttributeError):
            _ = rombel.nothing_of_that_name

"""The examples run and say what their readers are told they say."""

import unittest

from examples.first_fit import main


class TestExamples(unittest.TestCase):
    def test_the_first_example(self) -> None:
        said = main()
        self.assertIn("0.369 EUR an hour", said)
        self.assertIn("1 x tern-4 in birch", said)

import unittest

from calm_needle.core.doubled import first_doubled


class Doubled(unittest.TestCase):
    def test_the_first_that_stands_twice_is_named_in_one_pass(self) -> None:
        self.assertIsNone(first_doubled([]))
        self.assertIsNone(first_doubled("abc"))
        self.assertEqual(first_doubled("abcb"), "b")
        looked: list[int] = []
        names = (looked.append(n) or str(n % 200_000) for n in range(200_001))  # type: ignore[func-returns-value]
        self.assertEqual(first_doubled(names), "0")
        self.assertEqual(len(looked), 200_001)

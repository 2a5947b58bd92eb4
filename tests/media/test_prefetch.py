"""Reading ahead: in order, under way while one is used, and not farther than was said."""

import threading
import unittest
from functools import partial

from escala.media.prefetch import read_ahead

LONG = 10.0


class ReadAheadTest(unittest.TestCase):
    """Reads that tell when they began."""

    def setUp(self) -> None:
        self.begun = [threading.Event() for _ in range(5)]

    def read(self, number: int) -> int:
        """A read that gives its number."""
        self.begun[number].set()
        return number

    def test_all_come_in_order(self) -> None:
        for most in (1, 2, 7):
            self.assertEqual(list(read_ahead([partial(self.read, n) for n in range(5)], most)), [0, 1, 2, 3, 4])
        self.assertEqual(list(read_ahead([])), [])

    def test_the_next_is_under_way_while_one_is_used(self) -> None:
        for number in read_ahead([partial(self.read, n) for n in range(5)]):
            if number < 4:
                self.assertTrue(self.begun[number + 1].wait(LONG))

    def test_no_more_than_so_many_are_ahead(self) -> None:
        found = read_ahead([partial(self.read, n) for n in range(5)], 2)
        self.assertEqual(next(found), 0)
        self.assertTrue(self.begun[2].wait(LONG))
        self.assertFalse(self.begun[3].is_set())
        found.close()
        self.assertFalse(self.begun[4].is_set())

    def test_what_one_raises_is_raised_in_its_turn(self) -> None:
        def fall() -> int:
            raise OSError("gone")

        found = read_ahead([partial(self.read, 0), fall, partial(self.read, 2)], 2)
        self.assertEqual(next(found), 0)
        with self.assertRaisesRegex(OSError, "gone"):
            next(found)

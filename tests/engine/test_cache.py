import unittest
from dataclasses import dataclass

import numpy as np
import psutil

from escala.engine.cache import ByteCache
from escala.model.balance import Level


@dataclass(frozen=True)
class Holder:
    """An object that holds an array."""

    planes: np.ndarray


class CacheTest(unittest.TestCase):
    def test_the_least_used_goes_first(self) -> None:
        cache = ByteCache(30_000)
        for key in "ab":
            cache.put(key, np.zeros(10_000, np.uint8))
        cache.get("a", lambda: self.fail("a is kept"))
        cache.put("c", np.zeros(15_000, np.uint8))
        self.assertIsNone(cache.peek("b"))
        self.assertIsNotNone(cache.peek("a"))
        self.assertLessEqual(cache.size, 30_000)

    def test_what_is_kept_is_counted_whatever_holds_it(self) -> None:
        planes = np.zeros(5000, np.uint8)
        for value in (
            planes,
            bytes(5000),
            "x" * 5000,
            (planes, None),
            [planes],
            {"a": planes},
            Holder(planes),
            planes[:10],
        ):
            with self.subTest(kind=type(value).__name__):
                cache = ByteCache(1 << 20)
                cache.put("key", value)
                self.assertGreater(cache.size, 5000)
                self.assertLess(cache.size, 6200)
                cache.put("key", 1)
                self.assertLess(cache.size, 1000)

    def test_keys_count_too(self) -> None:
        cache = ByteCache(1 << 20)
        for number in range(200):
            cache.put(("board", number, "v" * 20_000, Level(stops=1)), None)
        self.assertLessEqual(cache.size, 1 << 20)
        self.assertIsNone(cache.peek(("board", 0, "v" * 20_000, Level(stops=1))))
        cache.drop("board")
        self.assertEqual(cache.size, 0)

    def test_what_was_dropped_is_not_restored_by_work_under_way(self) -> None:
        cache = ByteCache(1 << 20)
        for owner in ("old", "new"):
            cache.put((owner, "term"), 1)

        def slow() -> int:
            cache.drop("old")
            return 2

        self.assertEqual(cache.get(("old", "sum"), slow), 2)
        self.assertEqual([cache.peek((owner, "term")) for owner in ("old", "new")], [None, 1])
        self.assertIsNone(cache.peek(("old", "sum")))
        cache.welcome("old")
        cache.put(("old", "sum"), 3)
        self.assertEqual(cache.peek(("old", "sum")), 3)

    def test_it_takes_a_small_part_of_the_machine(self) -> None:
        self.assertLessEqual(ByteCache().budget, min(640 * 2**20, psutil.virtual_memory().total // 8))

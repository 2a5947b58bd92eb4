"""Images of shares: many requests for one have it made once; what is kept is bounded in bytes and time."""

import threading
import time
import unittest
from concurrent.futures import ThreadPoolExecutor
from unittest import mock

from escala.core.errors import BadSource
from escala.engine.worker import Overloaded
from escala.web.shares import image_cache
from escala.web.shares.image_cache import Encoded, SharedImages


class SharedImagesTest(unittest.TestCase):
    def setUp(self) -> None:
        self.images = SharedImages()
        self.begun, self.go_on = threading.Event(), threading.Event()
        self.made = 0

    def make(self, size: int = 4) -> Encoded:
        self.made += 1
        return bytes(size), "image/png", f"0 0 {self.made} 1"

    def make_slowly(self) -> Encoded:
        self.begun.set()
        self.assertTrue(self.go_on.wait(30))
        return self.make()

    def break_down(self) -> Encoded:
        self.begun.set()
        self.assertTrue(self.go_on.wait(30))
        raise BadSource("broken")

    def waiting(self, count: int) -> None:
        """Until so many requests wait."""
        deadline = time.monotonic() + 30
        while self.images._waiting < count:
            self.assertLess(time.monotonic(), deadline)

    def test_of_many_requests_one_makes_the_image(self) -> None:
        with ThreadPoolExecutor(8) as pool:
            first = pool.submit(self.images.image, "a", self.make_slowly)
            self.assertTrue(self.begun.wait(30))
            others = [pool.submit(self.images.image, "a", self.make) for _ in range(7)]
            self.waiting(7)
            self.go_on.set()
            self.assertEqual({each.result() for each in (first, *others)}, {(bytes(4), "image/png", "0 0 1 1")})
        self.assertEqual(self.made, 1)
        self.images.image("b", self.make)
        self.assertEqual(self.made, 2)

    def test_one_that_takes_long_is_not_begun_twice(self) -> None:
        with mock.patch.object(image_cache, "_KEPT_SECONDS", 0.0), ThreadPoolExecutor(2) as pool:
            first = pool.submit(self.images.image, "a", self.make_slowly)
            self.assertTrue(self.begun.wait(30))
            other = pool.submit(self.images.image, "a", self.make)
            self.waiting(1)
            self.go_on.set()
            self.assertEqual(first.result(), other.result())

    def test_what_fails_fails_for_all_that_wait_and_is_tried_again(self) -> None:
        with ThreadPoolExecutor(2) as pool:
            first = pool.submit(self.images.image, "a", self.break_down)
            self.assertTrue(self.begun.wait(30))
            other = pool.submit(self.images.image, "a", self.make)
            self.waiting(1)
            self.go_on.set()
            for each in (first, other):
                with self.assertRaises(BadSource):
                    each.result()
        self.assertEqual(self.images.image("a", self.make)[2], "0 0 1 1")

    def test_requests_that_wait_are_bounded(self) -> None:
        with mock.patch.object(image_cache, "_MOST_WAITING", 2), ThreadPoolExecutor(3) as pool:
            first = pool.submit(self.images.image, "a", self.make_slowly)
            self.assertTrue(self.begun.wait(30))
            others = [pool.submit(self.images.image, "a", self.make) for _ in range(2)]
            self.waiting(2)
            with self.assertRaises(Overloaded):
                self.images.image("a", self.make)
            self.images.image("b", self.make)  # another image waits for nobody
            self.go_on.set()
            for each in (first, *others):
                each.result()
            self.images.image("a", self.make)

    def test_what_is_kept_is_bounded_in_bytes_and_time(self) -> None:
        with mock.patch.object(image_cache, "_MOST_BYTES", 100):
            for key in ("a", "b", "c"):
                self.images.image(key, lambda: self.make(40))
            self.images.image("c", self.make)
            self.assertEqual(self.made, 3)
            self.images.image("a", self.make)
            self.assertEqual(self.made, 4)
        with mock.patch.object(image_cache, "_KEPT_SECONDS", 0.0):
            self.images.image("c", self.make)
        self.assertEqual(self.made, 5)

"""Which decoder a frame gets: one at rest, else the first that is free or has started."""

import threading
import unittest
from concurrent.futures import Future, ThreadPoolExecutor
from pathlib import Path
from unittest.mock import patch

from escala.media import intake

PATIENCE = 10


class FakeReader:
    """A reader that is ready when the test says so."""

    made: list["FakeReader"]

    def __init__(self, is_quiet: bool) -> None:
        self.video: Path | None = None
        self.is_closed = False
        self.ready = threading.Event()
        FakeReader.made.append(self)

    def wait_until_ready(self) -> None:
        self.ready.wait(PATIENCE)

    def close(self) -> None:
        self.is_closed = True


class ReaderPoolTest(unittest.TestCase):
    def setUp(self) -> None:
        FakeReader.made = []
        patched = patch.object(intake, "_Reader", FakeReader)
        patched.start()
        self.addCleanup(patched.stop)
        self.pool = intake._ReaderPool(most=2)
        self.requests = ThreadPoolExecutor(8)
        self.addCleanup(self.requests.shutdown)

    def started(self, count: int) -> list[FakeReader]:
        """So many readers, ready and at rest."""
        self.pool.warm(count)
        for reader in FakeReader.made:
            reader.ready.set()
        taken = [self.pool.take(None) for _ in range(count)]
        for reader in taken:
            self.pool.give(reader)
        return FakeReader.made[:count]

    def waiting(self, count: int) -> list[Future]:
        """Requests for a reader, once all of them wait."""
        futures = [self.requests.submit(self.pool.take, None) for _ in range(count)]
        while self.pool._waiting < count:
            pass
        return futures

    def test_one_at_rest_is_taken_before_one_that_starts(self) -> None:
        (ready,) = self.started(1)
        self.pool.warm(2)
        self.assertEqual(len(FakeReader.made), 2)
        self.assertTrue(self.pool.is_starting)
        self.assertIs(self.pool.take(None), ready)

    def test_who_waits_for_a_start_gets_one_that_is_free_before(self) -> None:
        (ready,) = self.started(1)
        self.pool.take(None)
        (request,) = self.waiting(1)
        self.assertFalse(FakeReader.made[1].ready.is_set())
        self.pool.give(ready)
        self.assertIs(request.result(PATIENCE), ready)
        FakeReader.made[1].ready.set()
        self.assertIs(self.pool.take(None), FakeReader.made[1])

    def test_each_that_waits_has_one_started_for_it(self) -> None:
        requests = self.waiting(3)
        self.assertEqual(len(FakeReader.made), 3)
        for reader in FakeReader.made:
            reader.ready.set()
        self.assertEqual({request.result(PATIENCE) for request in requests}, set(FakeReader.made))

    def test_the_one_that_decoded_a_video_last_goes_on_with_it(self) -> None:
        self.started(2)
        with_video, other = self.pool.take(Path("a.mov")), self.pool.take(None)
        self.pool.give(with_video)
        self.pool.give(other)
        self.assertIs(self.pool.take(Path("a.mov")), with_video)

    def test_no_more_rest_than_are_kept_and_none_after_the_end(self) -> None:
        requests = self.waiting(3)
        for reader in FakeReader.made:
            reader.ready.set()
        taken = [request.result(PATIENCE) for request in requests]
        for reader in taken:
            self.pool.give(reader)
        self.assertEqual([reader.is_closed for reader in taken], [False, False, True])
        last = self.pool.take(None)
        self.pool.close()
        self.pool.give(last)
        self.assertTrue(all(reader.is_closed for reader in taken))

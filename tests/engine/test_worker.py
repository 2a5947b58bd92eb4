import threading
import time
import unittest
from unittest import mock

from escala.engine import worker
from escala.engine.viewer.viewport import bands_of, full_viewport
from escala.engine.worker import (
    EXACT,
    LONG,
    PREVIEW,
    SMALL,
    Closed,
    EvaluationThread,
    Overloaded,
    Superseded,
    run_beside,
    yield_to_urgent,
)


class WorkerTest(unittest.TestCase):
    def setUp(self) -> None:
        self.thread, self.gate = EvaluationThread(), threading.Event()
        self.addCleanup(self.thread.close)
        self.addCleanup(self.gate.set)
        self.outcome: list[object] = []
        self.askers: list[threading.Thread] = []
        began = threading.Event()
        self.start(lambda: began.set() or self.gate.wait(10), PREVIEW)
        began.wait(10)

    def start(self, job, priority: int, viewer: str | None = None, client: str = "") -> None:
        """Ask for a job in a thread of its own."""

        def make_request() -> None:
            try:
                self.outcome.append(self.thread.run(job, priority, viewer, client))
            except (Superseded, Closed) as error:
                self.outcome.append("replaced" if isinstance(error, Superseded) else "closed")

        self.askers.append(threading.Thread(target=make_request))
        self.askers[-1].start()

    def waits(self, count: int) -> None:
        while len(self.thread._waiting) < count:
            pass

    def finish(self) -> None:
        self.gate.set()
        for asker in self.askers:
            asker.join(5)

    def test_a_newer_picture_replaces_the_one_that_waits(self) -> None:
        for number in (1, 2):
            self.start(lambda n=number: n, PREVIEW, "viewer")
            self.waits(number)
        self.finish()
        self.assertEqual(sorted(map(str, self.outcome)), ["2", "True", "replaced"])

    def test_the_most_urgent_goes_first(self) -> None:
        order: list[int] = []
        for count, priority in enumerate((LONG, EXACT, PREVIEW), 1):
            self.start(lambda u=priority: order.append(u), priority)
            self.waits(count)
        self.finish()
        self.assertEqual(order, [PREVIEW, EXACT, LONG])

    def test_long_work_gives_way_between_its_bands(self) -> None:
        done: list[object] = []

        def long() -> None:
            for band in bands_of(full_viewport(0, 0, 8, 30), 10):
                done.append(band.y)
                if band.y == 0:
                    self.start(lambda: done.append("short"), PREVIEW)
                    self.start(lambda: done.append("as long"), LONG)
                    self.waits(2)

        self.start(long, LONG)
        self.waits(1)
        self.gate.set()
        while len(done) < 5:
            pass
        self.finish()
        self.assertEqual(done, [0, "short", 10, 20, "as long"])

    def test_work_under_way_is_given_up_for_a_newer_picture_of_its_viewer(self) -> None:
        done: list[str] = []

        def resting() -> None:
            for viewer in ("another", "viewer"):
                self.start(lambda v=viewer: done.append(v), PREVIEW, viewer)
                self.waits(1)
                yield_to_urgent()
                done.append(f"on after {viewer}")

        self.start(resting, EXACT, "viewer")
        self.waits(1)
        self.finish()
        self.assertEqual(done, ["another", "on after another", "viewer"])
        self.assertIn("replaced", self.outcome)

    def test_outside_the_thread_nothing_gives_way(self) -> None:
        yield_to_urgent()
        self.assertEqual(len(list(bands_of(full_viewport(0, 0, 4, 5), 2))), 3)
        self.finish()

    def test_an_error_in_between_goes_to_the_caller(self) -> None:
        report_progress: list[str] = []

        def short() -> None:
            try:
                self.thread.run(lambda: 1 // 0, PREVIEW)
            except ZeroDivisionError:
                report_progress.append("told")

        def long() -> str:
            self.askers.append(threading.Thread(target=short))
            self.askers[-1].start()
            self.waits(1)
            yield_to_urgent()
            return "whole"

        self.start(long, LONG)
        self.waits(1)
        self.gate.set()
        for asker in list(self.askers):
            asker.join(5)
        self.finish()
        self.assertEqual((report_progress, "whole" in self.outcome), (["told"], True))

    def test_more_than_anybody_waits_for_is_refused_at_once(self) -> None:
        with mock.patch.object(worker, "_MOST_WAITING", 2):
            for count in (1, 2):
                self.start(lambda: 0, EXACT)
                self.waits(count)
            with self.assertRaisesRegex(Overloaded, "try again"):
                self.thread.run(lambda: 0, EXACT)
        self.finish()

    def test_long_work_waits_where_others_are_refused(self) -> None:
        with mock.patch.object(worker, "_MOST_WAITING", 1):
            self.start(lambda: "small", SMALL)
            self.waits(1)
            self.start(lambda: "long", LONG)
            self.waits(2)
        self.finish()
        self.assertEqual(set(self.outcome), {True, "small", "long"})

    def test_one_client_cannot_take_all_places(self) -> None:
        with mock.patch.object(worker, "_MOST_OF_CLIENT", 2):
            for count in (1, 2):
                self.start(lambda: 0, SMALL, client="flood")
                self.waits(count)
            with self.assertRaises(Overloaded):
                self.thread.run(lambda: 0, SMALL, client="flood")
            self.start(lambda: "other", SMALL, client="other")
            self.waits(3)
        self.finish()
        self.assertIn("other", self.outcome)

    def test_clients_take_turns(self) -> None:
        order: list[str] = []

        def work(client: str) -> None:
            time.sleep(0.01)  # what it takes counts for its client
            order.append(client)

        for count, client in enumerate(("flood", "flood", "flood", "other"), 1):
            self.start(lambda c=client: work(c), SMALL, client=client)
            self.waits(count)
        with mock.patch.dict(worker._AGED_AFTER, {SMALL: 60.0}):
            self.finish()
        self.assertEqual(order, ["flood", "other", "flood", "flood"])


class StarvationTest(unittest.TestCase):
    """Clients that never stop asking, each for the next exact image as soon as it has one."""

    def setUp(self) -> None:
        self.thread, self.over = EvaluationThread(), threading.Event()
        self.clients = [threading.Thread(target=self.ask_on, args=(f"client {i}",)) for i in range(3)]
        self.made = 0
        for client in self.clients:
            client.start()
        self.addCleanup(self.stop)

    def stop(self) -> None:
        self.over.set()
        for client in self.clients:
            client.join(10)
        self.thread.close()

    def exact(self) -> None:
        for _ in range(6):
            time.sleep(0.02)  # a band
            yield_to_urgent()
        self.made += 1

    def ask_on(self, viewer: str) -> None:
        while not self.over.is_set():
            self.thread.run(self.exact, EXACT, viewer)

    def took(self, priority: int, pieces: int = 1) -> float:
        def work() -> None:
            for _ in range(pieces):
                time.sleep(0.02)
                yield_to_urgent()

        began = time.monotonic()
        self.thread.run(work, priority, client="patient")
        return time.monotonic() - began

    def test_small_work_is_done_within_a_second(self) -> None:
        for _ in range(4):
            self.assertLess(self.took(SMALL, 3), 1.0)

    def test_an_image_under_the_pointer_waits_for_a_band_at_most(self) -> None:
        self.assertLess(max(self.took(PREVIEW) for _ in range(6)), 0.15)

    def test_long_work_goes_on(self) -> None:
        with mock.patch.dict(worker._AGED_AFTER, {LONG: 0.2}), mock.patch.object(worker, "_MOST_YIELDED", 0.1):
            self.assertLess(self.took(LONG, 5), 3.0)
        self.assertGreater(self.made, 2)


class BesideTest(unittest.TestCase):
    def setUp(self) -> None:
        self.thread = EvaluationThread()
        self.addCleanup(self.thread.close)
        self.begun, self.released = threading.Event(), threading.Event()
        self.addCleanup(self.released.set)

    def library(self) -> str:
        self.begun.set()
        self.assertTrue(self.released.wait(10))
        return "smooth"

    def test_an_image_is_made_while_a_library_works(self) -> None:
        results: list[str] = []
        job = threading.Thread(target=lambda: results.append(self.thread.run(lambda: run_beside(self.library), SMALL)))
        job.start()
        self.begun.wait(10)
        self.assertEqual(self.thread.run(lambda: "image", PREVIEW), "image")
        self.assertEqual(results, [])
        self.released.set()
        job.join()
        self.assertEqual(results, ["smooth"])

    def test_work_that_was_superseded_is_finished_and_not_begun_twice(self) -> None:
        results: list[str] = []
        older = threading.Thread(
            target=lambda: results.append(self.thread.run(lambda: run_beside(self.library), EXACT, "viewer"))
        )
        older.start()
        self.begun.wait(10)
        newer = threading.Thread(target=lambda: results.append(self.thread.run(lambda: "newer", EXACT, "viewer")))
        newer.start()
        while len(self.thread._waiting) == 0:
            pass
        self.assertEqual(self.thread.run(lambda: "image", PREVIEW), "image")
        self.assertEqual(results, [])
        self.released.set()
        older.join()
        newer.join()
        self.assertEqual(sorted(results), ["newer", "smooth"])

    def test_its_errors_are_raised_and_outside_the_thread_it_is_called(self) -> None:
        with self.assertRaises(ZeroDivisionError):
            self.thread.run(lambda: run_beside(lambda: 1 // 0), SMALL)
        self.assertEqual(run_beside(threading.get_ident), threading.get_ident())


class CloseTest(unittest.TestCase):
    def test_work_under_way_is_given_up_and_what_waits_is_reported(self) -> None:
        thread, began, outcome = EvaluationThread(), threading.Event(), []

        def endless() -> None:
            began.set()
            while True:
                yield_to_urgent()

        def make_request(job) -> None:
            try:
                thread.run(job, EXACT)
            except Closed:
                outcome.append("closed")

        askers = [threading.Thread(target=make_request, args=(job,)) for job in (endless, lambda: None)]
        askers[0].start()
        began.wait(5)
        with mock.patch.dict(worker._AGED_AFTER, {EXACT: 60.0}):
            askers[1].start()
            while len(thread._waiting) < 1:
                pass
            thread.close()
        for asker in askers:
            asker.join(5)
        self.assertEqual(outcome, ["closed", "closed"])
        with self.assertRaises(Closed):
            thread.run(lambda: None, SMALL)

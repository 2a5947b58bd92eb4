import threading
import unittest
from unittest import mock

from escala.engine import worker
from escala.engine.looking.look import bands_of, full_look
from escala.engine.worker import LONG, MOVING, RESTING, EvaluationThread, Overloaded, Superseded, give_way


class WorkerTest(unittest.TestCase):
    def setUp(self) -> None:
        self.thread, self.gate = EvaluationThread(), threading.Event()
        self.outcome: list[object] = []
        self.askers: list[threading.Thread] = []
        began = threading.Event()
        self.start(lambda: began.set() or self.gate.wait(10), MOVING)
        began.wait(10)

    def start(self, job, urgency: int, viewer: str | None = None) -> None:
        """Ask for a job in a thread of its own."""

        def ask() -> None:
            try:
                self.outcome.append(self.thread.run(job, urgency, viewer))
            except Superseded:
                self.outcome.append("replaced")

        self.askers.append(threading.Thread(target=ask))
        self.askers[-1].start()

    def waits(self, count: int) -> None:
        while self.thread.waiting < count:
            pass

    def finish(self) -> None:
        self.gate.set()
        for asker in self.askers:
            asker.join(5)

    def test_a_newer_picture_replaces_the_one_that_waits(self) -> None:
        for number in (1, 2):
            self.start(lambda n=number: n, MOVING, "viewer")
            self.waits(number)
        self.finish()
        self.assertEqual(sorted(map(str, self.outcome)), ["2", "True", "replaced"])

    def test_the_most_urgent_goes_first(self) -> None:
        order: list[int] = []
        for count, urgency in enumerate((LONG, RESTING, MOVING), 1):
            self.start(lambda u=urgency: order.append(u), urgency)
            self.waits(count)
        self.finish()
        self.assertEqual(order, [MOVING, RESTING, LONG])

    def test_long_work_gives_way_between_its_bands(self) -> None:
        done: list[object] = []

        def long() -> None:
            for band in bands_of(full_look(0, 0, 8, 30), 10):
                done.append(band.y)
                if band.y == 0:
                    self.start(lambda: done.append("short"), MOVING)
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
                self.start(lambda v=viewer: done.append(v), MOVING, viewer)
                self.waits(1)
                give_way()
                done.append(f"on after {viewer}")

        self.start(resting, RESTING, "viewer")
        self.waits(1)
        self.finish()
        self.assertEqual(done, ["another", "on after another", "viewer"])
        self.assertIn("replaced", self.outcome)

    def test_outside_the_thread_nothing_gives_way(self) -> None:
        give_way()
        self.assertEqual(len(list(bands_of(full_look(0, 0, 4, 5), 2))), 3)
        self.finish()

    def test_an_error_in_between_goes_to_who_asked(self) -> None:
        told: list[str] = []

        def short() -> None:
            try:
                self.thread.run(lambda: 1 // 0, MOVING)
            except ZeroDivisionError:
                told.append("told")

        def long() -> str:
            self.askers.append(threading.Thread(target=short))
            self.askers[-1].start()
            self.waits(1)
            give_way()
            return "whole"

        self.start(long, LONG)
        self.waits(1)
        self.gate.set()
        for asker in list(self.askers):
            asker.join(5)
        self.finish()
        self.assertEqual((told, "whole" in self.outcome), (["told"], True))

    def test_more_than_anybody_waits_for_is_refused_at_once(self) -> None:
        with mock.patch.object(worker, "_MOST_WAITING", 2):
            for count in (1, 2):
                self.start(lambda: 0, RESTING)
                self.waits(count)
            with self.assertRaisesRegex(Overloaded, "try again"):
                self.thread.run(lambda: 0, RESTING)
        self.finish()

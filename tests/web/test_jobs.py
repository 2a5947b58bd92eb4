import errno
import threading
import time
import unittest

from escala.core.errors import BadSource
from escala.database.shots import NotFound
from escala.engine.progress import Cancelled
from escala.web.event_log import EventLog
from escala.web.job_manager import Job, JobManager


class JobTest(unittest.TestCase):
    def setUp(self) -> None:
        self.events = EventLog()
        self.board = JobManager(self.events)

    def ended(self, job: Job) -> Job:
        end = time.monotonic() + 10
        while job.state == "running" and time.monotonic() < end:
            pass
        return job

    def test_results_and_failures_are_kept(self) -> None:
        def fall(job: Job) -> None:
            raise BadSource("a.exr: no such file.")

        self.assertEqual(self.ended(self.board.start("reading", lambda job: 7)).result, 7)
        failed = self.ended(self.board.start("reading", fall))
        self.assertEqual((failed.state, failed.error), ("failed", "a.exr: no such file."))

    def test_a_stopped_job_ends_at_its_next_report(self) -> None:
        gate = threading.Event()

        def work(job: Job) -> None:
            gate.wait(10)
            self.board.report(job, 0.5, "half")

        job = self.board.start("exporting", work)
        job.stop.set()
        gate.set()
        self.assertEqual(self.ended(job).state, "cancelled")

    def test_pages_hear_of_progress(self) -> None:
        mark, *_ = self.events.since("")
        self.board.report(Job(1, "reading"), 0.25, "decoding")
        (heard,) = self.events.since(mark)[1]
        self.assertEqual((heard["kind"], heard["share"], heard["doing"]), ("job", 0.25, "decoding"))

    def test_work_that_is_waited_for_is_reported_and_stopped(self) -> None:
        mark, *_ = self.events.since("")

        def work(job: Job) -> None:
            self.board.report(job, 0.5, "half")
            job.stop.set()
            self.board.report(job, 0.9, "nearly")

        with self.assertRaisesRegex(Cancelled, "reading was stopped; nothing was changed"):
            self.board.here("reading", work)
        self.assertEqual([told["state"] for told in self.events.since(mark)[1]], ["cancelled"])

    def test_pages_hear_only_of_work_that_takes_longer_than_their_patience(self) -> None:
        mark, *_ = self.events.since("")

        def work(job: Job) -> str:
            self.board.report(job, 0.25, "quick")
            job.started -= 60
            self.board.report(job, 0.5, "slow")
            return job.viewer

        self.assertEqual(self.board.here("Exact image", lambda job: self.board.report(job, 0.5, ""), "me", 60), None)
        self.assertEqual(self.events.since(mark)[1], [])
        self.assertEqual(self.board.here("Exact image", work, "me", 60), "me")
        (told,) = self.events.since(mark)[1]
        self.assertEqual((told["viewer"], told["state"]), ("me", "done"))

    def test_only_the_newest_of_many_ended_jobs_are_kept(self) -> None:
        first = self.ended(self.board.start("reading", lambda job: 0))
        for _ in range(220):
            last = self.ended(self.board.start("reading", lambda job: 0))
        self.assertIs(self.board.find(last.id), last)
        with self.assertRaises(NotFound):
            self.board.find(first.id)

    def test_a_full_disk_is_reported_in_a_sentence(self) -> None:
        def fall(job: Job) -> None:
            raise OSError(errno.ENOSPC, "No space left on device", "/home/x")

        self.assertIn("Disk full: /home/x", self.ended(self.board.start("exporting", fall)).error or "")

    def test_unknown_jobs_are_reported(self) -> None:
        with self.assertRaisesRegex(NotFound, "no job 99"):
            self.board.find(99)

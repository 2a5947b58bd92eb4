"""Decoders crash, are ended and end alone; what forks them may crash, too."""

import json
import os
import signal
import subprocess
import sys
import unittest
from pathlib import Path
from unittest.mock import patch

import psutil

from escala.media import decoders, intake
from escala.media.decoders import Decoder, close_starter, start_decoder
from escala.media.intake import DecodeFailed, import_frame
from escala.media.sources import SourceFile
from tests.fixtures import FolderTest, light, write_layers

PATIENCE = 60


def processes() -> list[psutil.Process]:
    """The processes below this one that are decoders or fork them."""
    return [each for each in psutil.Process().children(recursive=True) if each.status() != psutil.STATUS_ZOMBIE]


class DecodersTest(FolderTest):
    def setUp(self) -> None:
        super().setUp()
        close_starter()  # this process may have one by other tests

    def started(self, is_quiet: bool = False) -> tuple[Decoder, psutil.Process]:
        """A decoder that is ready, and its process."""
        before = set(processes())
        decoder = start_decoder(is_quiet)
        self.addCleanup(decoder.end)
        self.assertEqual(json.loads(decoder.answers.readline()), {"ready": True})
        return decoder, max(set(processes()) - before, key=lambda each: (each.create_time(), each.pid))

    def answer(self, decoder: Decoder) -> dict[str, object]:
        """What a decoder answers to a job with a file that is missing."""
        files = [[str(self.folder / "missing.exr"), "", False, None]]
        decoder.jobs.write(json.dumps({"files": files, "folder": str(self.folder / "frame"), "key": "k"}) + "\n")
        decoder.jobs.flush()
        return dict(json.loads(decoder.answers.readline() or "{}"))

    def test_one_that_crashes_takes_no_other_with_it(self) -> None:
        (first, process), (second, _) = self.started(), self.started()
        process.send_signal(signal.SIGSEGV)
        self.assertEqual(first.answers.readline(), "")
        self.assertEqual(first.end(), -signal.SIGSEGV)
        self.assertIn("error", self.answer(second))
        self.assertEqual(second.end(), -signal.SIGKILL)

    def test_a_quiet_one_has_a_low_priority(self) -> None:
        usual = psutil.Process().nice()
        self.assertEqual(self.started()[1].nice(), usual)
        self.assertGreater(self.started(is_quiet=True)[1].nice(), usual)

    def test_a_starter_that_was_killed_is_replaced(self) -> None:
        decoder, process = self.started()
        starter = process.parent()
        assert starter is not None and starter.pid != os.getpid()
        starter.kill()
        starter.wait(PATIENCE)
        again, _ = self.started()
        self.assertIn("error", self.answer(again))
        self.assertEqual(decoder.end(), -signal.SIGKILL)

    def test_an_interpreter_of_its_own_where_a_process_cannot_be_forked(self) -> None:
        with patch.object(decoders, "os", object()):
            decoder, process = self.started()
        self.assertEqual(process.parent(), psutil.Process())
        self.assertIn("error", self.answer(decoder))
        self.assertEqual(decoder.end(), -signal.SIGKILL)

    def test_one_that_ended_at_rest_is_replaced_and_a_crash_reported_with_the_file(self) -> None:
        path = write_layers(self.folder / "a.exr", {"beauty": light(1)})
        pool = intake._ReaderPool(most=1)
        self.addCleanup(pool.close)
        with patch.object(intake, "_READERS", pool):
            import_frame([SourceFile(path)], self.folder / "first")
            close_starter()
            import_frame([SourceFile(path)], self.folder / "second")
            reader = pool.take(None)
            with (
                patch.object(reader, "request", lambda job: close_starter() is None),
                patch.object(pool, "take", lambda video: reader),
                self.assertRaises(DecodeFailed) as failure,
            ):
                import_frame([SourceFile(path)], self.folder / "third")
        self.assertIn("a.exr: decoding failed (decoder crashed, status -9)", str(failure.exception))

    def test_paths_are_relative_to_the_working_folder_of_the_request(self) -> None:
        self.addCleanup(os.chdir, os.getcwd())
        pool = intake._ReaderPool(most=1)
        self.addCleanup(pool.close)
        for name, shape in (("first", (3, 4)), ("second", (5, 6))):
            folder = self.folder / name
            folder.mkdir()
            write_layers(folder / "a.exr", {"beauty": light(1, *shape)})
            os.chdir(folder)
            with patch.object(intake, "_READERS", pool):
                frame = import_frame([SourceFile(Path("a.exr"))], self.folder / "store")
            self.assertEqual(frame.planes("beauty").shape, (3, *shape))

    def test_one_that_cannot_be_ended_is_not_waited_for(self) -> None:
        with patch.object(os, "kill"), patch.object(os, "waitpid", return_value=(0, 0)) as look:
            self.assertEqual(decoders._end(12), -signal.SIGKILL)
        self.assertGreater(look.call_count, 1)


class LifeTest(FolderTest):
    """Programs that decode, in an interpreter of their own."""

    def program(self, text: str) -> subprocess.Popen[str]:
        file = self.folder / "program.py"
        file.write_text(text)
        child = subprocess.Popen([sys.executable, str(file)], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True)
        self.addCleanup(child.wait)
        self.addCleanup(child.kill)
        self.addCleanup(lambda: [stream and stream.close() for stream in (child.stdin, child.stdout)])
        return child

    def test_all_end_with_a_process_that_is_killed(self) -> None:
        child = self.program(
            "from escala.media.decoders import start_decoder\n"
            "decoders = [start_decoder(is_quiet) for is_quiet in (False, True)]\n"
            "print([decoder.answers.readline() for decoder in decoders], flush=True)\n"
            "input()\n"
        )
        assert child.stdout is not None
        self.assertEqual(child.stdout.readline().count("ready"), 2)
        below = psutil.Process(child.pid).children(recursive=True)
        self.assertEqual(len(below), 3)
        child.kill()
        self.assertEqual(psutil.wait_procs(below, PATIENCE)[1], [])

    def test_a_program_without_a_guard_runs_once(self) -> None:
        path = write_layers(self.folder / "a.exr", {"beauty": light(1)})
        child = self.program(
            "from pathlib import Path\n"
            "from escala.media.intake import import_frame\n"
            "from escala.media.sources import SourceFile\n"
            f"frame = import_frame([SourceFile(Path({str(path)!r}))], Path({str(self.folder / 'store')!r}))\n"
            "print(frame.planes('beauty').shape[0], flush=True)\n"
        )
        self.assertEqual(child.communicate(timeout=PATIENCE)[0], "3\n")
        self.assertEqual(child.returncode, 0)

    def test_a_starter_is_forked_before_threads_only(self) -> None:
        child = self.program(
            "import threading\n"
            "from escala.media import decoders\n"
            "event = threading.Event()\n"
            "thread = threading.Thread(target=event.wait)\n"
            "thread.start()\n"
            "decoders.fork_starter()\n"
            "print(decoders._starter, flush=True)\n"
            "event.set()\n"
            "thread.join()\n"
            "decoders.fork_starter()\n"
            "print(decoders._starter is not None, flush=True)\n"
            "print(decoders.start_decoder(False).answers.readline(), flush=True)\n"
        )
        output, _ = child.communicate(timeout=PATIENCE)
        self.assertEqual(output.split(), ["None", "True", '{"ready":', "true}"])


if __name__ == "__main__":
    unittest.main()

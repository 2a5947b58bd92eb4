"""Baked views are refined by a child process."""

import pickle
import threading
import time
import unittest
from unittest import mock

import numpy as np
import psutil

from escala.core.colour.baked_view import BakedView
from escala.engine.colour import refining
from escala.engine.colour.refining import Refiner
from escala.media.configs import SOFT, colour_config
from tests.fixture_config import write_config
from tests.fixtures import FolderTest


def view_of(name: str) -> BakedView:
    config = colour_config(name)
    return BakedView(config, config.default_working_space, config.default_view)


def is_refining() -> bool:
    """Whether a child process of this one refines a view."""
    return any(refining.__name__ in child.cmdline() for child in psutil.Process().children())


class RefinerTest(FolderTest):
    def test_the_table_is_that_of_the_view_refined_here(self) -> None:
        own = str(write_config(self.folder))
        refiner, view, here = Refiner(self.folder / "views"), view_of(own), view_of(own)
        refiner.add(view)
        here.refine()
        refiner.wait()
        for found, expected in zip(view.table, here.table, strict=True):
            np.testing.assert_array_equal(found, expected)
        self.assertGreater(view.table[1].size, view_of(own).table[1].size)
        again = view_of(own)
        with mock.patch.object(refining.subprocess, "Popen", side_effect=AssertionError):
            other = Refiner(self.folder / "views")
            other.add(again)
            other.wait()
        np.testing.assert_array_equal(again.table[1], here.table[1])

    def test_a_damaged_or_unwritable_cache_only_costs_time(self) -> None:
        view = view_of(SOFT)
        refined = tuple(part.copy() for part in view.table)
        (self.folder / "file").touch()
        with mock.patch.object(refining.subprocess, "Popen") as start:
            start.return_value.returncode = 0
            start.return_value.communicate.return_value = pickle.dumps(refined), b""
            for folder in (self.folder / "views", self.folder / "views", self.folder / "file"):
                before, refiner = view.table, Refiner(folder)
                refiner.add(view)
                refiner.wait()
                self.assertIsNot(view.table, before)
                for file in folder.glob("*.npz"):
                    file.write_bytes(file.read_bytes()[:1000])
        self.assertEqual(start.call_count, 3)

    def test_an_error_at_one_view_leaves_the_next_ones(self) -> None:
        refiner, broken, view = Refiner(self.folder), view_of(SOFT), view_of(SOFT)
        failures = OSError("no process"), mock.DEFAULT
        with mock.patch.object(refining.subprocess, "Popen", side_effect=failures) as start, self.assertLogs():
            start.return_value.returncode = 0
            start.return_value.communicate.return_value = pickle.dumps(("refined", "table")), b""
            with mock.patch.object(refining._Tables, "put"):
                refiner.add(broken)
                refiner.add(view)
                refiner.wait()
        self.assertEqual(view.table, ("refined", "table"))

    def test_the_tables_that_were_unused_for_longest_are_removed(self) -> None:
        view, folder = view_of(SOFT), self.folder / "views"
        tables = refining._Tables(folder)
        with mock.patch.object(refining, "_MOST_BYTES", int(2.5 * sum(part.nbytes for part in view.table))):
            for key in ("first", "second", "third"):
                tables.put(key, view.table)
        self.assertEqual([tables.get(key) is not None for key in ("first", "second", "third")], [False, True, True])

    def test_a_view_that_is_no_longer_used_is_skipped(self) -> None:
        refiner, kept, released = Refiner(self.folder / "views"), view_of(SOFT), threading.Event()
        with mock.patch.object(refining.subprocess, "Popen") as start:
            start.return_value.communicate.side_effect = lambda _: (released.wait(), b"")
            refiner.add(kept)
            refiner.add(view_of(SOFT))
            released.set()
            refiner.wait()
        start.assert_called_once()

    def test_closing_ends_the_child_process_at_once(self) -> None:
        refiner, view = Refiner(self.folder / "views"), view_of("ACES 2")
        before = view.table
        refiner.add(view)
        while not is_refining():
            time.sleep(0.01)
        started = time.perf_counter()
        refiner.close()
        refiner.wait()
        self.assertLess(time.perf_counter() - started, 2)
        self.assertIs(view.table, before)


if __name__ == "__main__":
    unittest.main()

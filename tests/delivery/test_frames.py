"""A delivery of several frames, of which the next are read while one is written."""

import multiprocessing
import threading
from concurrent.futures import ProcessPoolExecutor
from dataclasses import replace

import numpy as np

from escala.core.errors import EscalaError
from escala.delivery.deliver import Delivery
from escala.delivery.frames import Order, deliver_frame, deliver_frames, wanted_frames
from escala.engine.evaluator_pool import EvaluatorPool
from escala.engine.progress import Cancelled
from escala.model.variant import Variant
from tests.engine.fixture_shot import grid_passes
from tests.fixtures import FolderTest, read_colour, write_layers


class FramesTest(FolderTest):
    """Four frames, each of its own brightness."""

    def setUp(self) -> None:
        super().setUp()
        for number in range(1, 5):
            passes = {name: planes * np.float32(number) for name, planes in grid_passes().items()}
            write_layers(self.folder / f"frame.{number:04d}.exr", passes, np.float32)
        self.evaluator_pool = EvaluatorPool(self.folder / "store", 2**30)
        render, _ = self.evaluator_pool.read([self.folder / "frame.####.exr"])
        file = Delivery(self.folder / "out.####.exr", pixel_type="float")
        self.order = Order(0, render, Variant(), wanted_frames(render, ()), file, self.evaluator_pool.place)

    def test_each_file_holds_its_own_frame(self) -> None:
        written = list(deliver_frames(self.evaluator_pool, self.order))
        self.assertEqual([file.name for file in written], [f"out.{number:04d}.exr" for number in range(1, 5)])
        for number, file in enumerate(written, 1):
            np.testing.assert_allclose(read_colour(file), grid_passes()[""] * np.float32(number), rtol=1e-6)

    def test_another_process_writes_the_same_bits_from_the_pickled_order(self) -> None:
        here = list(deliver_frames(self.evaluator_pool, self.order))
        there = replace(self.order, file=replace(self.order.file, path=self.folder / "there.####.exr"))
        with ProcessPoolExecutor(1, multiprocessing.get_context("spawn")) as processes:
            written = list(processes.map(deliver_frame, [there] * 4, there.frames))
        self.assertEqual([file.name for file in written], [f"there.{number:04d}.exr" for number in there.frames])
        for ours, other in zip(here, written, strict=True):
            np.testing.assert_array_equal(read_colour(ours), read_colour(other))

    def test_what_comes_before_a_broken_frame_is_there(self) -> None:
        (self.folder / "frame.0003.exr").write_bytes(b"\x76\x2f\x31\x01 and no more")
        with self.assertRaisesRegex(EscalaError, "frame.0003.exr"):
            list(deliver_frames(self.evaluator_pool, self.order))
        there = sorted(file.name for file in self.folder.glob("out.*"))
        self.assertEqual(there, ["out.0001.exr", "out.0002.exr"])

    def test_nothing_is_read_on_once_it_is_stopped(self) -> None:
        def stop(share: float, doing: str) -> None:
            if share >= 0.25:
                raise Cancelled("exporting")

        with self.assertRaises(Cancelled):
            list(deliver_frames(self.evaluator_pool, self.order, stop))
        self.assertEqual([file.name for file in self.folder.glob("out.*")], ["out.0001.exr"])
        self.assertFalse([thread for thread in threading.enumerate() if thread.name.startswith("reading ahead")])

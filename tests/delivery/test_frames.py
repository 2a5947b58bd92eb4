"""A delivery of several frames: in this process, in others, by a cluster, broken off and resumed."""

import multiprocessing
import signal
import threading
import time
import warnings
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor
from contextlib import contextmanager
from dataclasses import replace
from pathlib import Path
from typing import Any
from unittest.mock import patch

import av
import numpy as np
import psutil
from distributed import core

from escala.core.errors import BadSource, EscalaError, UnknownChoice
from escala.delivery.breakdown import write_breakdown
from escala.delivery.checking import check_order, waiting_of_preset
from escala.delivery.frames import deliver_frame, deliver_frames
from escala.delivery.order import Order, files_of_preset, wanted_frames
from escala.delivery.queue import Workforce, deliver
from escala.engine.colour.pipeline import resolve_colour
from escala.engine.evaluator_pool import EvaluatorPool
from escala.engine.progress import Cancelled
from escala.media.stills import read_still
from escala.media.whole_files import is_whole
from escala.model.delivery_preset import DeliveryFile, DeliveryPreset
from escala.model.variant import Variant
from tests.engine.fixture_shot import grid_passes
from tests.fixtures import FolderTest, read_colour, write_layers
from tests.small_disk import fill, mount_small_disk

EXR = {"what": "result", "format": "exr", "pixel_type": "float", "names": "out.{frame}"}
FRAMES = range(1, 5)


class FramesTest(FolderTest):
    """Four frames, each of its own brightness."""

    def setUp(self) -> None:
        super().setUp()
        for number in FRAMES:
            passes = {name: planes * np.float32(number) for name, planes in grid_passes().items()}
            write_layers(self.folder / f"frame.{number:04d}.exr", passes, np.float32)
        self.evaluator_pool = EvaluatorPool(self.folder / "store", 2**30)
        self.addCleanup(self.evaluator_pool.close)
        self.render, _ = self.evaluator_pool.read([self.folder / "frame.####.exr"])
        self.out = self.folder / "out"
        self.order = self.ordered(EXR)

    def ordered(self, *files: dict[str, Any], folder: Path | None = None, **facts: Any) -> Order:
        wanted = [DeliveryFile.model_validate(file) for file in files]
        named = files_of_preset(folder or self.out, wanted, self.render, "look")
        frames = wanted_frames(self.render, ())
        return Order(0, self.render, Variant(), frames, named, self.evaluator_pool.place, **facts)

    def names(self) -> list[str]:
        return sorted(p.relative_to(self.out).as_posix() for p in self.out.rglob("*") if p.is_file())

    def check_frames(self, folder: Path) -> None:
        for number in FRAMES:
            expected = grid_passes()[""] * np.float32(number)
            np.testing.assert_allclose(read_colour(folder / f"out.{number:04d}.exr"), expected, rtol=1e-6)

    def test_each_file_holds_its_own_frame(self) -> None:
        reports = list(deliver_frames(self.evaluator_pool, self.order))
        self.assertEqual([(r.number, r.files[0].name) for r in reports], [(n, f"out.{n:04d}.exr") for n in FRAMES])
        self.check_frames(self.out)

    def test_other_processes_write_the_same_bits_from_the_pickled_order(self) -> None:
        list(deliver_frames(self.evaluator_pool, self.order))
        there = self.ordered(EXR, folder=self.folder / "there")
        store = replace(there.store, folder=self.folder / "narrow", limit=1)
        there = replace(there, store=store)
        with ProcessPoolExecutor(1, multiprocessing.get_context("spawn")) as processes:
            written = list(processes.map(deliver_frame, [there] * 4, there.frames))
        for (file,) in written:
            self.assertEqual(file.read_bytes(), (self.out / file.name).read_bytes())
        self.assertLess(len(list(store.folder.iterdir())), 4)  # a worker deletes frames that nothing uses any more

    def test_workers_write_the_same_bits(self) -> None:
        list(deliver(self.evaluator_pool, self.order))
        there = self.ordered(EXR, {**EXR, "format": "png", "pixel_type": None}, folder=self.folder / "there")
        heard: list[float] = []
        warn = core.warn_on_duration
        with (
            warnings.catch_warnings(record=True) as warned,
            patch.object(core, "warn_on_duration", lambda limit, message: warn("0s", message)),
        ):
            reports = list(
                deliver(self.evaluator_pool, there, lambda share, doing: heard.append(share), Workforce(2, niceness=5))
            )
        self.assertEqual([str(one.message) for one in warned], [], "the disk is slow, and users are not bothered")
        self.assertEqual(sorted(r.number or 0 for r in reports), list(FRAMES))
        self.assertEqual({len(r.files) for r in reports}, {2})
        self.assertEqual(heard, sorted(heard))
        for file in sorted((self.folder / "there").glob("*.exr")):
            self.assertEqual(file.read_bytes(), (self.out / file.name).read_bytes())
        self.assertEqual(_workers(), [])

    def test_a_worker_that_is_killed_loses_no_frame(self) -> None:
        reports = []
        for report in deliver(self.evaluator_pool, self.order, workforce=Workforce(2)):
            if not reports:
                for process in _workers():
                    process.send_signal(signal.SIGKILL)
            reports.append(report)
        self.assertEqual([r.error for r in reports], [None] * 4)
        self.check_frames(self.out)
        self.assertEqual(sorted(p.name for p in self.out.iterdir()), [f"out.{n:04d}.exr" for n in FRAMES])

    def test_a_cluster_that_is_there_writes_and_one_that_is_not_is_refused(self) -> None:
        from distributed import LocalCluster

        with LocalCluster(n_workers=1, threads_per_worker=1, dashboard_address=None, silence_logs=50) as cluster:
            list(deliver(self.evaluator_pool, self.order, workforce=Workforce(scheduler=cluster.scheduler_address)))
        self.check_frames(self.out)
        with _patience(1.0), self.assertRaisesRegex(BadSource, "tcp://127.0.0.1:9 does not answer within 1 s"):
            list(deliver(self.evaluator_pool, self.order, workforce=Workforce(scheduler="tcp://127.0.0.1:9")))

    def test_a_broken_frame_is_named_and_the_others_are_written(self) -> None:
        (self.folder / "frame.0003.exr").write_bytes(b"\x76\x2f\x31\x01 and no more")
        order = self.ordered(EXR, {"what": "result", "format": "mkv", "names": "all"})
        failed = [r for r in deliver(self.evaluator_pool, order) if r.error]
        self.assertEqual([r.number for r in failed], [3])
        self.assertIn("frame.0003.exr", failed[0].error or "")
        self.assertEqual(self.names(), ["all.mkv", *(f"out.{n:04d}.exr" for n in (1, 2, 4))])
        with av.open(str(self.out / "all.mkv")) as file:
            self.assertEqual(len(list(file.decode(video=0))), 3)

    def test_nothing_is_read_on_once_it_is_stopped(self) -> None:
        def stop(share: float, doing: str) -> None:
            if share >= 0.25:
                raise Cancelled("exporting")

        for workforce in (Workforce(), Workforce(2)):
            with self.subTest(workforce=workforce), self.assertRaises(Cancelled):
                list(deliver(self.evaluator_pool, self.order, stop, workforce))
            self.assertFalse([t for t in threading.enumerate() if t.name.startswith("reading ahead")])
            self.assertEqual(_workers(), [])

    def test_a_video_or_a_breakdown_that_is_stopped_leaves_nothing_and_is_written_later(self) -> None:
        for what, goes_on in (("result", 2), ("breakdown", 0)):
            order = self.ordered({"what": what, "format": "mkv", "names": what})
            heard: list[float] = []

            def stop(share: float, doing: str, heard: list[float] = heard, most: int = goes_on) -> None:
                heard.append(share)
                if len(heard) > most:
                    raise Cancelled("exporting")

            with self.subTest(what=what):
                with self.assertRaises(Cancelled):
                    list(deliver(self.evaluator_pool, order, stop))
                self.assertEqual([p for p in self.out.rglob("*") if p.is_file() and what in p.name], [])
                self.assertFalse([t for t in threading.enumerate() if t.name.startswith("reading ahead")])
                list(deliver(self.evaluator_pool, order))
                self.assertTrue(is_whole(self.out / f"{what}.mkv"))

    def test_resuming_keeps_what_is_whole_and_writes_the_rest(self) -> None:
        list(deliver(self.evaluator_pool, self.order))
        kept, short, gone = (self.out / f"out.{n:04d}.exr" for n in (1, 2, 3))
        before = kept.stat().st_mtime_ns
        whole = short.read_bytes()
        short.write_bytes(whole[: len(whole) // 2])
        gone.unlink()
        (self.out / ".escala-1-1-left").mkdir()
        reports = list(deliver(self.evaluator_pool, replace(self.order, keeps=True)))
        self.assertEqual([len(r.files) for r in reports], [1] * 4)
        self.assertEqual((kept.stat().st_mtime_ns, short.read_bytes()), (before, whole))
        self.check_frames(self.out)
        self.assertEqual([p.name for p in self.out.glob(".*")], [])

    def test_a_full_disk_ends_it_at_once_and_resuming_goes_on(self) -> None:
        folder = mount_small_disk(self, self.folder / "full", 400)
        ballast = fill(folder, leave=48 * 1024)
        order = self.ordered(EXR, folder=folder)
        for workforce in (Workforce(), Workforce(2)):
            with self.subTest(workforce=workforce), self.assertRaisesRegex(EscalaError, "(?i)disk full"):
                list(deliver(self.evaluator_pool, order, workforce=workforce))
            self.assertEqual([p.name for p in folder.glob(".*")], [])
        ballast.unlink()
        list(deliver(self.evaluator_pool, replace(order, keeps=True)))
        self.check_frames(folder)

    def test_orders_that_cannot_be_written_are_refused_before_they_begin(self) -> None:
        result, still = {"what": "result", "format": "exr"}, {"what": "lights", "format": "png"}
        for files, words in (
            ([{**result, "names": "one"}], "several frames: use {frame}"),
            ([result, result], "two files would be named"),
            ([{**still, "names": "a.{frame}"}], "use {name} in names"),
            ([{**result, "space": "Nowhere"}], "Nowhere"),
            ([{**result, "display": "Nowhere"}], "Nowhere"),
            ([{**still, "only": ["moon"]}], "moon"),
            ([{"what": "mattes", "format": "exr"}], "no mattes"),
        ):
            with self.subTest(files=files), self.assertRaises((BadSource, UnknownChoice)) as found:
                check_order(self.evaluator_pool, self.ordered(*files))
            self.assertIn(words, str(found.exception))
        check_order(self.evaluator_pool, self.ordered(result, still, {"what": "passes", "format": "exr"}))
        self.assertFalse(self.out.exists())

    def test_what_waits_in_a_preset_is_named_with_its_place(self) -> None:
        files = [{"what": "lights", "format": "png", "only": ["key", "moon"], "view": "Dusk"}, {**EXR, "space": "Odd"}]
        preset = DeliveryPreset.model_validate({"escala": "delivery", "files": files})
        found = list(waiting_of_preset(preset, self.render, resolve_colour(self.render, Variant())))
        self.assertEqual(found, [("files/0/view", "Dusk"), ("files/0/only/1", "moon"), ("files/1/space", "Odd")])

    def test_a_breakdown_is_a_folder_a_sheet_or_a_video(self) -> None:
        variant = Variant.model_validate({"balance": {"lights": {"key": {"stops": -1}}}})
        order = replace(self.ordered(), variant=variant)
        stills = write_breakdown(self.evaluator_pool, order, self.folder / "steps")
        names = [p.name for p in stills]
        self.assertEqual((names[0], names[-1]), ("01_fill_diffuse.png", "08_balance.png"))
        (sheet,) = write_breakdown(self.evaluator_pool, order, self.folder / "sheet.png")
        pixels = np.stack(read_still(sheet)[1])
        self.assertGreater(pixels.shape[2], 2 * 64)
        tile, strip = pixels[:, 8:56, 8:72], pixels[:, 56:80, 8:72]
        np.testing.assert_allclose(tile, np.stack(read_still(stills[0])[1]), atol=1.01 / 255)
        self.assertGreater(float(strip.max()), 0.8)  # the title
        (video,) = write_breakdown(self.evaluator_pool, order, self.folder / "steps.mkv")
        with av.open(str(video)) as file:
            frames = [f.to_ndarray(format="rgb24") for f in file.decode(video=0)]
        self.assertEqual((len(frames), frames[0].shape), (8 * 36, (48 + 24, 64, 3)))
        for name in ("steps.gif", "steps.exr"):
            with self.subTest(name=name), self.assertRaises(BadSource):
                write_breakdown(self.evaluator_pool, order, self.folder / name)


def _workers() -> list[psutil.Process]:
    """The worker processes of a cluster of this process; those that end get a moment."""
    for _ in range(50):
        found = [p for p in psutil.Process().children(recursive=True) if "spawn_main" in " ".join(_line(p))]
        if not found:
            break
        time.sleep(0.02)
    return found


def _line(process: psutil.Process) -> list[str]:
    try:
        return process.cmdline()
    except psutil.Error:
        return []


@contextmanager
def _patience(seconds: float) -> Iterator[None]:
    from unittest import mock

    with mock.patch("escala.delivery.queue._PATIENCE", seconds):
        yield

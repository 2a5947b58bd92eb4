"""`edit`, `intake`, `open`, `memory`: a 4K shot from its file to the picture being dragged."""

import os
import subprocess
import sys
import tempfile
from pathlib import Path

import cv2
import numpy as np
import psutil

from escala.engine.colour.refining import REFINER
from escala.engine.evaluator import Evaluator
from escala.engine.evaluator_pool import EvaluatorPool
from escala.engine.request import Quality
from escala.engine.viewer.screen import screen_picture
from escala.engine.viewer.subject import Subject
from escala.engine.viewer.viewport import fit_viewport
from escala.media.configs import colour_config
from escala.media.intake import import_frame
from escala.media.sources import find_render
from escala.model.balance import Balance, Level
from escala.model.variant import Variant

from .figures import Figure, once, seconds, write_big_shot

WIDTH, HEIGHT = 3840, 2160
_LIGHTS = 23  # with the beauty 24 passes
_LIGHTS_36 = 11  # with the beauty 36 channels
_EDITS = 100
_STORE_BYTES = 16 * 2**30


class BigShot:
    """A 4K shot of 24 passes, decoded once for the benchmarks that need it."""

    def __init__(self) -> None:
        self._folder = tempfile.TemporaryDirectory(prefix="escala-bench-")
        self.file = Path(self._folder.name) / "big.exr"
        self.store = Path(self._folder.name) / "store"
        write_big_shot(self.file, WIDTH, HEIGHT, _LIGHTS)
        self.render, self.frame = EvaluatorPool(self.store, _STORE_BYTES).read([self.file])

    def evaluator(self) -> Evaluator:
        """A fresh evaluator, from a fresh evaluator pool."""
        return EvaluatorPool(self.store, _STORE_BYTES).engine_for(0, self.render)

    def close(self) -> None:
        """Delete the files."""
        self._folder.cleanup()


def _variant(step: int) -> Variant:
    return Variant(balance=Balance(lights={"l05": Level(stops=(step % 40) / 10 - 2)}))


def bench_edit(shot: BigShot) -> Figure:
    """From one light's new level to an encoded 1280 × 720 picture: p95 of 100, over plain numpy and the processor."""
    evaluator, viewport = shot.evaluator(), fit_viewport(0, 0, WIDTH, HEIGHT, 1280, 720)
    for step in (1, 2, 3):
        screen_picture(Subject(evaluator, _variant(step)), viewport, Quality.PREVIEW)
    REFINER.wait()
    times = []
    for step in range(_EDITS):
        edited = Subject(evaluator, _variant(step))
        times.append(once(lambda s=edited: screen_picture(s, viewport, Quality.PREVIEW)))  # type: ignore[misc]
    p95 = float(np.percentile(times, 95))
    recipe = evaluator.render.recipes[0].recipe
    terms = [evaluator.frame.planes(term.passes[0]) for term in recipe.terms]
    config = colour_config("ACES 2")

    def plainly() -> None:
        total = np.zeros((3, HEIGHT, WIDTH), np.float32)
        for planes in terms:
            total += np.float32(1.01) * planes.astype(np.float32)
        small = np.stack([cv2.resize(p, (1280, 720), interpolation=cv2.INTER_AREA) for p in total])
        shown = np.ascontiguousarray(small.transpose(1, 2, 0))
        shown = config.display_packed(shown, "ACEScg", config.default_view)
        cv2.imencode(".jpg", np.rint(np.clip(shown, 0, 1) * 255).astype(np.uint8))

    ratio = p95 / once(plainly)
    target = f"p95 ≤ 16 ms and ≤ 0.01 of plain numpy (here {ratio:.4f})"
    return Figure(p95 * 1000, "ms", ratio, target, bool(ratio <= 0.01), limit=16)


def bench_intake() -> Figure:
    """Until every pass of a 4K file of 36 channels can be viewed, over the format library's own decoding.

    The reader process runs already, as a server keeps it.
    """
    with tempfile.TemporaryDirectory(prefix="escala-bench-") as folder:
        file = Path(folder) / "wide.exr"
        write_big_shot(file, WIDTH, HEIGHT, _LIGHTS_36)
        code = (
            "import time, OpenEXR; s = time.perf_counter(); "
            f"OpenEXR.File({str(file)!r}, separate_channels=True).channels(); print(time.perf_counter() - s)"
        )
        decode = min(float(subprocess.check_output([sys.executable, "-c", code])) for _ in range(2))
        files = find_render([file]).first
        warm = Path(folder) / "warm.exr"
        write_big_shot(warm, 64, 64, 2)
        import_frame(find_render([warm]).first, Path(folder) / "store")
        taken = min(once(lambda n=n: import_frame(files, Path(folder) / f"store{n}")) for n in range(2))  # type: ignore[misc]
    ratio = taken / decode
    return Figure(taken, "s", ratio, "≤ 1.25 of decoding alone", ratio <= 1.25)


def bench_open(shot: BigShot) -> Figure:
    """The first picture of a shot that was taken in before."""

    def first_picture() -> None:
        screen_picture(
            Subject(shot.evaluator(), Variant()), fit_viewport(0, 0, WIDTH, HEIGHT, 1280, 720), Quality.PREVIEW
        )

    time = seconds(first_picture, 3)
    return Figure(time, "s", time / 0.3, "≤ 0.3 s", True, limit=0.3)


def bench_memory(shot: BigShot) -> Figure:
    """Resident size of a process of its own that balances the big shot."""
    program = (
        "import sys; from escala.bench.shot import balance_alone; from pathlib import Path; "
        "balance_alone(Path(sys.argv[1]), Path(sys.argv[2]))"
    )
    command = [sys.executable, "-c", program, str(shot.file), str(shot.store)]
    size = float(subprocess.check_output(command)) / 2**30
    return Figure(size, "GiB", size, "≤ 1.0 GiB", size <= 1.0)


def balance_alone(file: Path, store: Path) -> None:
    """Balance the shot as the browser does, and print the resident size in bytes."""
    evaluator_pool = EvaluatorPool(store, _STORE_BYTES)
    render, _ = evaluator_pool.read([file])
    evaluator, viewport = evaluator_pool.engine_for(0, render), fit_viewport(0, 0, WIDTH, HEIGHT, 1280, 720)
    for step in range(40):
        screen_picture(Subject(evaluator, _variant(step)), viewport, Quality.PREVIEW)
    REFINER.wait()
    screen_picture(Subject(evaluator, _variant(3)), viewport, Quality.EXACT)
    print(psutil.Process(os.getpid()).memory_info().rss)

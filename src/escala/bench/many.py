"""`many`: a picture with every level moved at once, of a render of many lights against one of few."""

import tempfile
from pathlib import Path

import numpy as np

from escala.engine.evaluator_pool import EvaluatorPool
from escala.engine.request import Quality
from escala.engine.viewer.screen import screen_picture
from escala.engine.viewer.subject import Subject
from escala.engine.viewer.viewport import fit_viewport
from escala.model.balance import Balance, Level
from escala.model.variant import Variant

from .figures import Figure, once, write_big_shot

_FEW, _MANY = 16, 128
_STORE_BYTES = 16 * 2**30
_IMAGES = 12


def bench_many() -> Figure:
    """128 lights at HD, all moving, over 16: the cost grows with the passes, and no faster."""
    few, many = (_median(count) for count in (_FEW, _MANY))
    return Figure(many * 1000, "ms", many / few, "≤ 8 × the time for 16 lights", many <= 8 * few)


def _median(count: int) -> float:
    with tempfile.TemporaryDirectory(prefix="escala-bench-") as folder:
        file = Path(folder) / "many.exr"
        write_big_shot(file, 1920, 1080, count)
        with EvaluatorPool(Path(folder) / "store", _STORE_BYTES) as evaluator_pool:
            render, _ = evaluator_pool.read([file])
            evaluator, viewport = evaluator_pool.engine_for(0, render), fit_viewport(0, 0, 1920, 1080, 1280, 720)

            def image(step: int) -> None:
                screen_picture(Subject(evaluator, _variant(count, step)), viewport, Quality.PREVIEW)

            for step in range(3):
                image(step)
            return float(np.median([once(lambda s=step: image(s)) for step in range(3, _IMAGES)]))  # type: ignore[misc]


def _variant(count: int, step: int) -> Variant:
    levels = {f"l{i:02d}": Level(stops=(7 * step + 3 * i) % 40 / 10 - 2) for i in range(count)}
    return Variant(balance=Balance(lights=levels))

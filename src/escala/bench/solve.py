"""`solve`: the levels of 8 lights towards a reference at 960 × 540."""

import tempfile
from pathlib import Path

import numpy as np

from escala.core.planes import narrow_to_half
from escala.engine.balance.solving import rows_of, solve_levels
from escala.engine.evaluator_pool import EvaluatorPool
from escala.engine.images import ImageSource
from escala.media.exr import write_exr
from escala.media.windows import Window
from escala.model.variant import Variant

from .figures import Figure, made_up_light, seconds, write_big_shot

_SIZE, _LIGHTS = (960, 540), 8
_STORE_BYTES = 4 * 2**30


def bench_solve() -> Figure:
    """The median time from the decoded shot and reference to levels."""
    with tempfile.TemporaryDirectory(prefix="escala-bench-") as name:
        folder = Path(name).resolve()
        width, height = _SIZE
        write_big_shot(folder / "shot.exr", width, height, _LIGHTS)
        wanted = np.sum([2.0 ** (i - 4) * made_up_light(i, height, width) for i in range(_LIGHTS)], axis=0)
        planes = {letter: narrow_to_half(np.float32(p)) for letter, p in zip("RGB", wanted, strict=True)}
        window = Window(0, 0, width, height)
        write_exr(folder / "wanted.exr", planes, window, window)
        with EvaluatorPool(folder / "store", _STORE_BYTES) as evaluator_pool:
            render, _ = evaluator_pool.read([folder / "shot.exr"])
            evaluator = evaluator_pool.engine_for(0, render)
            image = evaluator_pool.images.load(ImageSource(str(folder / "wanted.exr")))
            rows = rows_of(evaluator, Variant(), image)
            value = seconds(lambda: solve_levels(evaluator, Variant(), rows), 3)
    return Figure(value, "s", value, "≤ 1 s for 8 lights at 960 × 540", True, limit=1.0)

"""`deliver`: 1080p frames written with their levels, against reading their passes and writing pictures alone."""

import shutil
import tempfile
from pathlib import Path

import numpy as np

from escala.core.planes import narrow_to_half
from escala.delivery.deliver import Delivery
from escala.delivery.frames import Order, deliver_frames, wanted_frames
from escala.engine.evaluator_pool import EvaluatorPool
from escala.media.exr import read_channels, read_parts, write_exr
from escala.media.windows import Window
from escala.model.balance import Balance, Level
from escala.model.variant import Variant

from .figures import Figure, made_up_light, once, write_big_shot

_WIDTH, _HEIGHT, _LIGHTS = 1920, 1080, 11
_FRAMES, _PAIRS = 4, 5
_STORE_BYTES = 16 * 2**30


def bench_deliver() -> Figure:
    """Seconds a frame from files to delivered EXRs, over decoding and encoding by the format's library."""
    with tempfile.TemporaryDirectory(prefix="escala-bench-") as name:
        folder = Path(name)
        files = [folder / f"frame.{number:04d}.exr" for number in range(1, _FRAMES + 1)]
        write_big_shot(files[0], _WIDTH, _HEIGHT, _LIGHTS)
        for file in files[1:]:
            shutil.copy(files[0], file)
        picture = [narrow_to_half(plane) for plane in made_up_light(1, _HEIGHT, _WIDTH)]
        window = Window(0, 0, _WIDTH, _HEIGHT)

        def alone() -> None:
            for file in files:
                read_channels(file, read_parts(file))
                write_exr(folder / "alone.exr", dict(zip("RGB", picture, strict=True)), window, window)

        render, _ = EvaluatorPool(folder / "store", _STORE_BYTES).read([folder / "frame.####.exr"])
        variant = Variant(balance=Balance(lights={"l05": Level(stops=1.0)}))
        store = folder / "frames"

        def frames() -> None:
            with EvaluatorPool(store, _STORE_BYTES) as pool:
                file = Delivery(folder / "out.####.exr")
                for _ in deliver_frames(pool, Order(0, render, variant, wanted_frames(render, ()), file, pool.place)):
                    pass

        def pair() -> tuple[float, float]:
            shutil.rmtree(store, ignore_errors=True)  # every frame is decoded anew
            return once(alone), once(frames)

        pair()
        # In turn, so that other load on the machine slows both alike.
        pairs = [pair() for _ in range(_PAIRS)]
    time = float(np.median([ours for _, ours in pairs])) / _FRAMES
    ratio = float(np.median([ours / plain for plain, ours in pairs]))
    return Figure(time, "s", ratio, "≤ 1.15 of decoding and encoding alone", bool(np.isfinite(ratio) and ratio <= 1.15))

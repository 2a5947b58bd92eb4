"""`deliver`: a 1080p frame written with its levels, against reading its passes and writing a picture alone."""

import shutil
import tempfile
from pathlib import Path

import numpy as np

from escala.core.planes import narrow_to_half
from escala.delivery.deliver import Delivery, deliver_frame
from escala.engine.workshop import Workshop
from escala.media.exr import read_channels, read_parts, write_exr
from escala.media.windows import Window
from escala.model.balance import Balance, Level
from escala.model.variant import Variant

from .figures import Figure, made_up_light, once, write_big_shot

_WIDTH, _HEIGHT, _LIGHTS = 1920, 1080, 11
_PAIRS = 7
_STORE_BYTES = 16 * 2**30


def bench_deliver() -> Figure:
    """Seconds for a frame from its file to the delivered EXR, over decoding and encoding by the format's library."""
    with tempfile.TemporaryDirectory(prefix="escala-bench-") as name:
        folder = Path(name)
        file = folder / "frame.exr"
        write_big_shot(file, _WIDTH, _HEIGHT, _LIGHTS)
        picture = [narrow_to_half(plane) for plane in made_up_light(1, _HEIGHT, _WIDTH)]
        window = Window(0, 0, _WIDTH, _HEIGHT)

        def alone() -> None:
            read_channels(file, read_parts(file))
            write_exr(folder / "alone.exr", dict(zip("RGB", picture, strict=True)), window, window)

        render, _ = Workshop(folder / "store", _STORE_BYTES).read([file])
        variant = Variant(balance=Balance(lights={"l05": Level(stops=1.0)}))
        store = folder / "frames"

        def frame() -> None:
            engine = Workshop(store, _STORE_BYTES).engine_for(0, render)
            deliver_frame(engine, variant, Delivery(folder / "out.exr"))

        def pair() -> tuple[float, float]:
            shutil.rmtree(store, ignore_errors=True)  # every frame is decoded anew
            return once(alone), once(frame)

        pair()
        # In turn, so that whoever else uses the machine slows both alike.
        pairs = [pair() for _ in range(_PAIRS)]
    time = float(np.median([ours for _, ours in pairs]))
    ratio = float(np.median([ours / plain for plain, ours in pairs]))
    return Figure(time, "s", ratio, "≤ 1.2 of decoding and encoding alone", bool(np.isfinite(ratio) and ratio <= 1.2))

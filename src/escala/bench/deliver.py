"""`deliver`: 1080p frames with their levels against reading and writing alone; `workers`: two against one."""

import shutil
import tempfile
import time
from pathlib import Path

import numpy as np

from escala.core.planes import narrow_to_half
from escala.delivery.frames import deliver_frames
from escala.delivery.naming import NumberedName
from escala.delivery.order import FileOrder, Order, wanted_frames
from escala.delivery.queue import Workforce, deliver
from escala.engine.evaluator_pool import EvaluatorPool
from escala.media.exr import read_channels, read_parts, write_exr
from escala.media.windows import Window
from escala.model.balance import Balance, Level
from escala.model.delivery_preset import DeliveryFile
from escala.model.render import Render
from escala.model.variant import Variant

from .camera import DEPTH, LENS, write_camera_frame
from .figures import Figure, made_up_light, once, write_big_shot

_WIDTH, _HEIGHT, _LIGHTS = 1920, 1080, 11
_FRAMES, _PAIRS = 4, 5
_STORE_BYTES = 16 * 2**30
# Frames that workers write, as a sequence of its own.
_WORKED, _WORKED_PAIRS, _WORKED_SIZE = 10, 2, (1280, 720)
_CAMERA = Variant.model_validate({"depth": DEPTH, "lens": LENS})


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
                for _ in deliver_frames(pool, order_of_result(render, variant, folder, pool)):
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


def bench_workers() -> Figure:
    """Seconds a frame by two workers, and how many times as fast that is as one: frames with Depth and Lens."""
    with tempfile.TemporaryDirectory(prefix="escala-bench-") as name:
        folder = Path(name)
        for number in range(1, _WORKED + 1):
            write_camera_frame(folder / f"frame.{number:04d}.exr", *_WORKED_SIZE)
        render, _ = EvaluatorPool(folder / "store", _STORE_BYTES).read([folder / "frame.####.exr"])

        def written(workers: int) -> float:
            """Seconds between the first frame and the last: what starts the workers is paid once."""
            with EvaluatorPool(folder / "store", _STORE_BYTES) as pool:
                order = order_of_result(render, _CAMERA, folder, pool)
                marks = [time.perf_counter() for _ in deliver(pool, order, workforce=Workforce(workers, threads=1))]
            return (marks[-1] - marks[workers - 1]) / (_WORKED - workers)

        pairs = [(written(1), written(2)) for _ in range(_WORKED_PAIRS)]
    ratio = float(np.median([one / two for one, two in pairs]))
    return Figure(float(np.median([two for _, two in pairs])), "s", ratio, "≥ 1.7 of one", ratio >= 1.7)


def order_of_result(
    render: Render, variant: Variant, folder: Path, pool: EvaluatorPool, frames: tuple[int, ...] = ()
) -> Order:
    """The results of some frames, of all when none are named, as EXR in a folder."""
    file = FileOrder(DeliveryFile(what="result", format="exr"), NumberedName(folder / "out.####.exr", True))
    return Order(0, render, variant, wanted_frames(render, frames), (file,), pool.place)

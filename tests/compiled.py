"""A tour of all stations on another render than set-up used: `python -m tests.compiled` prints what it compiled."""

import gc
import logging
import tempfile
import warnings
from pathlib import Path
from typing import Any

import numpy as np
import OpenEXR
from numba.core import event

from escala.compile_kernels import Tour, store_as_float, sum_many_terms
from escala.core.kernels import Kernel
from escala.core.planes import as_planes
from escala.environment import prepare_environment
from escala.stage.render import StageJob, render_frame

DECODED = "escala.core.source.intake_rows"


class Compiled(event.Listener):
    """Notes the loops that were compiled, and not loaded from what was compiled before."""

    def __init__(self) -> None:
        self.names: list[str] = []

    def on_start(self, event: Any) -> None:
        self.names.append(f"{event.data['dispatcher'].py_func.__qualname__} {event.data['args']}")

    def on_end(self, event: Any) -> None:
        pass


def other_render(folder: Path) -> Path:
    """Another size, and tiles."""
    path = folder / "other.exr"
    render_frame(StageJob(141, 83, 1), 12, path)
    store_as_float(path, type=OpenEXR.tiledimage, tiles=OpenEXR.TileDescription())
    return path


if __name__ == "__main__":
    prepare_environment()
    logging.disable()
    warnings.simplefilter("ignore")
    compiled = Compiled()
    event.register("numba:compile", compiled)
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name).resolve()
        tour = Tour(folder, other_render(folder))
        tour.walk()
        tour.close()
    sum_many_terms()
    as_planes(np.zeros(4, np.float16))  # the render has no halves
    kernels = [one for one in gc.get_objects() if isinstance(one, Kernel)]
    # Files are decoded in a child process.
    unused = [kernel for kernel in kernels if "made" not in vars(kernel) and kernel.__module__ != DECODED]
    unused_names = [f"not in the tour: {kernel.__name__}" for kernel in unused]
    print("\n".join(compiled.names + unused_names))

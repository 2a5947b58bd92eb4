"""A tour of all stations on another render than set-up used: `python -m tests.compiled` prints what it compiled."""

import logging
import tempfile
import warnings
from pathlib import Path
from typing import Any

import OpenEXR
from numba.core import event

from escala.compile_kernels import Tour, store_as_float
from escala.core.kernels import compile_for_copies
from escala.environment import prepare_environment
from escala.stage.render import StageJob, render_frame


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
    compile_for_copies()
    print("\n".join(compiled.names))

"""A shot in memory of files, for tests of the engine and what lies above it."""

from pathlib import Path

import cv2
import numpy as np

from escala.engine.cache import ByteCache
from escala.engine.evaluator import Evaluator
from escala.engine.images import ImagePool, ImageSource, OutsideImage
from escala.engine.source.intake import recognise_render
from escala.media.clips import Clip, open_clip
from escala.media.decode import decode_frame_here
from escala.media.intake import import_frame
from escala.media.sources import find_render
from escala.media.store import StoredFrame
from tests.fixtures import add_up, light, write_layers

LIGHTS = ("key", "fill")
COMPONENTS = ("diffuse", "specular")


def grid_passes(height: int = 48, width: int = 64) -> dict[str, np.ndarray]:
    """Two lights through two components, their wholes, and the beauty."""
    cells = {
        f"{li}_{co}": light(i, height, width) for i, (li, co) in enumerate((a, b) for a in LIGHTS for b in COMPONENTS)
    }
    wholes = {li: add_up(*(cells[f"{li}_{co}"] for co in COMPONENTS)) for li in LIGHTS}
    return {"": add_up(*cells.values()), **cells, **wholes}


def one_axis_passes() -> dict[str, np.ndarray]:
    """Lights and components, each summing to the beauty, without passes for both together."""
    cells = grid_passes()
    sums = {co: add_up(*(cells[f"{li}_{co}"] for li in LIGHTS)) for co in COMPONENTS}
    return {"": cells[""], "lg_key": cells["key"], "lg_fill": cells["fill"], **sums}


def engine_for(path: Path) -> Evaluator:
    """The evaluator of a file, decoded in this process beside it."""
    source = find_render([path])
    folder = path.parent / f"store-{path.stem}"
    if not folder.exists():
        decode_frame_here(source.first, folder, lambda share: None)
    frame = StoredFrame(folder)
    return Evaluator(recognise_render(source, frame), frame, ByteCache(1 << 28))


def image_pool(folder: Path) -> ImagePool:
    """Images from outside, decoded in this process."""
    return ImagePool(lambda file: import_frame((file,), folder / "images", decoder=decode_frame_here), open_clip)


class PreparingImages:
    """Images that are decoded when they are looked up, and anew where their file changed."""

    def __init__(self, folder: Path) -> None:
        self.pool = image_pool(folder)
        self._states: dict[ImageSource, object] = {}
        self._held: list[OutsideImage] = []

    def find(self, source: ImageSource) -> OutsideImage | None:
        """As `Images.find`."""
        path = Path(source.path)
        state = (path.stat().st_mtime_ns, path.stat().st_size) if path.is_file() else None
        if state is None or self._states.get(source) != state:
            self._states[source] = state
            self._held += self.pool.prepare([source])
        return self.pool.find(source)

    def find_clip(self, path: str) -> Clip | None:
        """As `Images.find_clip`."""
        return self.pool.prepare_clip(path)


def grid_engine(folder: Path) -> Evaluator:
    """The evaluator of `grid_passes`."""
    return engine_for(write_layers(folder / "grid.exr", grid_passes()))


def decoded(file: bytes) -> np.ndarray:
    """(H, W, 3) bytes of a picture file."""
    return cv2.imdecode(np.frombuffer(file, np.uint8), cv2.IMREAD_COLOR)[:, :, ::-1]


def blocks(pixels: np.ndarray) -> np.ndarray:
    """Means of 8 × 8 pixels: what JPEG keeps of noise."""
    high, wide, _ = pixels.shape
    return pixels.reshape(high // 8, 8, wide // 8, 8, 3).mean(axis=(1, 3))

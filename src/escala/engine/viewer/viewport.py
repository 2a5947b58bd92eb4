"""A look at a frame: which region, at how many pixels; and passes sampled for it from their pyramids."""

from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from escala.core.beauty.recipes import three_channels
from escala.core.errors import ShapeError
from escala.core.planes import Planes, as_planes
from escala.core.progress import ProgressCallback, no_progress
from escala.core.viewer.pyramid import halve_box
from escala.core.viewer.resizing import area_means
from escala.media.store import StoredFrame
from escala.model.render import Render

from ..worker import yield_to_urgent

SMALL_WIDTH = 128
BAND_ROWS = 128
# A band is so many times as high as what lies around it and is worked out too.
BAND_REACHES = 4


@dataclass(frozen=True)
class Viewport:
    """A region of the raster (columns and rows from its corner) shown as `out_width` x `out_height` pixels."""

    x: int
    y: int
    width: int
    height: int
    out_width: int
    out_height: int

    def __post_init__(self) -> None:
        if min(self.width, self.height, self.out_width, self.out_height) < 1:
            raise ShapeError(f"a region of {self.width} × {self.height} pixels shows nothing")

    @cached_property
    def level(self) -> int:
        """The coarsest pyramid level that still has the requested pixels."""
        level, width, height = 0, self.width, self.height
        while width > 1 or height > 1:
            width, height = (width + 1) // 2, (height + 1) // 2
            if width < self.out_width or height < self.out_height:
                break
            level += 1
        return level

    def on_grid(self, columns: int, rows: int) -> "Viewport":
        """The look widened to whole pixels of its level in a raster of `columns` x `rows`, shown as many pixels more.

        So every part of one picture is sampled on one grid: passes from their pyramids, products and mattes in full.
        """
        left, top, width, height = self._widened(0, columns, rows)
        if (left, top, width, height) == (self.x, self.y, self.width, self.height):
            return self
        out_width = max(1, round(self.out_width * width / self.width))
        out_height = max(1, round(self.out_height * height / self.height))
        widened = Viewport(left, top, width, height, out_width, out_height)
        return widened if widened.level == self.level else widened.on_grid(columns, rows)

    def on_level(self) -> "Viewport":
        """The same region, pixel by pixel of its pyramid level."""
        step = 1 << self.level
        return Viewport(self.x, self.y, self.width, self.height, -(-self.width // step), -(-self.height // step))

    @property
    def is_level(self) -> bool:
        """Whether it shows its pyramid level pixel by pixel."""
        return self == self.on_level()

    def grown(self, reach: float, columns: int, rows: int) -> "Viewport":
        """A look on a level, grown by `reach` full-resolution pixels on all sides, as far as the raster goes.

        It stays on the grid of its level. Raises `ShapeError` for a viewport on none, whose scale could not be kept.
        """
        if reach <= 0:
            return self
        if not self.is_level:
            raise ShapeError(f"{self} is not on a pyramid level: it cannot grow by whole pixels")
        left, top, width, height = self._widened(int(np.ceil(reach)), columns, rows)
        step = 1 << self.level
        return Viewport(left, top, width, height, -(-width // step), -(-height // step))

    def _widened(self, reach: int, columns: int, rows: int) -> tuple[int, int, int, int]:
        """The region and `reach` pixels around it, in whole pixels of its level, within the raster."""
        step = 1 << self.level
        left, top = (max(0, start - reach) // step * step for start in (self.x, self.y))
        right = min(columns, -(-(self.x + self.width + reach) // step) * step)
        bottom = min(rows, -(-(self.y + self.height + reach) // step) * step)
        return left, top, right - left, bottom - top

    @property
    def scale(self) -> float:
        """Pixels shown for each pixel of the full-resolution render; on a level that of the level."""
        return 1.0 / (1 << self.level) if self.is_level else self.out_width / self.width

    @property
    def is_full(self) -> bool:
        """Whether every pixel is shown as one pixel."""
        return (self.width, self.height) == (self.out_width, self.out_height)


def full_viewport(x: int, y: int, width: int, height: int) -> Viewport:
    """A region pixel by pixel."""
    return Viewport(x, y, width, height, width, height)


def bands_of(
    viewport: Viewport, rows: int = BAND_ROWS, report_progress: ProgressCallback = no_progress
) -> Iterator[Viewport]:
    """A region pixel by pixel, in bands of rows, so that memory stays small; between two, others have their turn."""
    for top in range(0, viewport.height, rows):
        report_progress(top / viewport.height)
        yield full_viewport(viewport.x, viewport.y + top, viewport.width, min(rows, viewport.height - top))
        yield_to_urgent()


def fit_viewport(x: int, y: int, width: int, height: int, most_width: int, most_height: int) -> Viewport:
    """A region at the largest size that fits, never enlarged."""
    scale = min(most_width / width, most_height / height, 1.0)
    return Viewport(x, y, width, height, max(1, round(width * scale)), max(1, round(height * scale)))


def whole_viewport(render: Render, width: int = SMALL_WIDTH) -> Viewport:
    """The whole displayed picture as a small one, `width` pixels a side at most."""
    viewport = fit_viewport(*render.offset, render.width, render.height, width, width)
    return viewport.on_grid(render.raster.width, render.raster.height)


def sample_pass(frame: StoredFrame, name: str, viewport: Viewport, exact: bool = False) -> Planes:
    """A pass at a viewport, (C, out_height, out_width) float32: area-filtered when smaller, pixels kept when larger.

    `exact`: the nearest pixel instead, for ids, depth and other data that must not be mixed.
    """
    crop = crop_pass(frame, name, viewport)
    planes = crop.astype(np.float32) if crop.dtype == np.uint32 else as_planes(crop)
    return resize_planes(planes, viewport.out_width, viewport.out_height, exact)


def sample_ids(frame: StoredFrame, name: str, viewport: Viewport) -> NDArray[np.generic]:
    """A pass at a viewport by its nearest pixels, in the type in which it is stored: whole numbers stay whole."""
    crop = crop_pass(frame, name, viewport)
    rows, columns = (
        ((np.arange(out) + 0.5) * there / out).astype(int)
        for out, there in zip((viewport.out_height, viewport.out_width), crop.shape[1:], strict=True)
    )
    return np.asarray(crop[:, rows][:, :, columns])


def crop_pass(frame: StoredFrame, name: str, viewport: Viewport) -> NDArray[np.generic]:
    """The region of a viewport as stored, on the pyramid level that has its pixels; (C, H, W)."""
    level = min(viewport.level, len(frame.passes[name].levels) - 1)
    step = 1 << level
    stored = frame.planes(name, level)
    rows, columns = stored.shape[1:]
    top, left = viewport.y // step, viewport.x // step
    bottom, right = (
        min(rows, -(-(viewport.y + viewport.height) // step)),
        min(columns, -(-(viewport.x + viewport.width) // step)),
    )
    return stored[:, top:bottom, left:right]


def colour_of_pass(frame: StoredFrame, name: str, viewport: Viewport) -> Planes:
    """The colour of a pass at a viewport, (3, H, W), as stored. Raises `ShapeError` for a pass that can hold none."""
    return three_channels(sample_pass(frame, name, viewport))


def filtered(planes: Planes, viewport: Viewport) -> Planes:
    """The region of a viewport pixel by pixel, brought to its size: on a level as the pyramid does it."""
    if not viewport.is_level:
        return resize_planes(planes, viewport.out_width, viewport.out_height)
    for _ in range(viewport.level):
        planes = np.stack([halve_box(plane) for plane in planes])
    return planes


def resize_planes(planes: Planes, width: int, height: int, exact: bool = False) -> Planes:
    """Planes at another size: area means when smaller, nearest pixels when larger or `exact`."""
    if planes.shape[1:] == (height, width):
        return planes
    if width <= planes.shape[2] and height <= planes.shape[1] and not exact:
        return area_means(planes, width, height)
    import cv2  # commands make no picture larger

    return np.stack([cv2.resize(plane, (width, height), interpolation=cv2.INTER_NEAREST) for plane in planes])

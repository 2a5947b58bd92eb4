"""Which part of the displayed image a request shows, at how many pixels."""

from dataclasses import dataclass

from escala.engine.evaluator import Evaluator
from escala.engine.viewer.viewport import Viewport

from ..schemas import Region

# The largest screens have less.
MOST_SHOWN = 34_000_000


@dataclass(frozen=True)
class OutSize:
    """The pixels of an image for the screen."""

    width: int
    height: int


def enlarged(wanted: OutSize, region: Region) -> tuple[int, int] | None:
    """The size to enlarge a picture to, each pixel as many, after everything else; None where none is requested."""
    if wanted.width <= region.width and wanted.height <= region.height:
        return None
    return wanted.width, wanted.height


def region_of(evaluator: Evaluator, viewport: Viewport) -> Region:
    """What a viewport shows, in columns and rows of the displayed picture."""
    across, down = evaluator.render.offset
    return Region(x=viewport.x - across, y=viewport.y - down, width=viewport.width, height=viewport.height)


def viewport_of(evaluator: Evaluator, out: Region | OutSize, region: Region) -> Viewport:
    """The requested region, cut to the displayed picture, in places of the raster, as so many pixels, never more.

    It is widened to the pixels of the level that it is sampled from.
    """
    display, raster = evaluator.render.display, evaluator.render.raster
    left, top = max(0, min(region.x, display.width - 1)), max(0, min(region.y, display.height - 1))
    width = max(1, min(region.x + region.width, display.width) - left)
    height = max(1, min(region.y + region.height, display.height) - top)
    across, down = evaluator.render.offset
    viewport = Viewport(left + across, top + down, width, height, min(width, out.width), min(height, out.height))
    return viewport.on_grid(raster.width, raster.height)

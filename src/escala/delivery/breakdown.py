"""A break-down of one frame: stills in a folder, one sheet, or a video."""

import math
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from escala.core.errors import BadSource
from escala.engine.evaluator_pool import EvaluatorPool
from escala.engine.progress import Progress, no_progress
from escala.engine.worker import LONG
from escala.media.stills import StillOptions, write_still
from escala.model.delivery_preset import FORMATS, DeliveryFile

from .frame_writer import write_frame
from .frames import open_frame
from .naming import NumberedName, pattern_name
from .order import FileOrder, Order, names_of
from .pixels import frame_pixels, target_of
from .titles import titled
from .videos import deliver_videos

_TILE_WIDTH = 480
_GAP = 8
_SHEET_FORMATS = ("png", "tiff", "jpeg")


def write_breakdown(
    evaluator_pool: EvaluatorPool,
    order: Order,
    out: Path,
    display: str | None = None,
    view: str | None = None,
    progress: Progress = no_progress,
) -> list[Path]:
    """Write the break-down of the first frame of an order, as its variant's view shows it, or another.

    `out` without an extension: a folder of PNG files, one a step. A still: one sheet. A video: each step for a while.
    `order.files` are left aside. Raises `BadSource` for another extension, and where the render has no recipe.
    """
    kind = FORMATS.get(out.suffix.lower())
    if kind is None and out.suffix:
        raise BadSource(f"{out}: a break-down is a folder, a still (.png, .tif, .jpg) or a video (.mkv, .mp4, .webm)")
    number = min(order.frames)
    if kind is None:
        file = DeliveryFile(what="breakdown", format="png", display=display, view=view, names="{name}")
        ordered = _order(order, FileOrder(file, pattern_name(out, file, order.render, {})))
        opened = open_frame(evaluator_pool, ordered, number)
        return list(evaluator_pool.evaluate(lambda: write_frame(opened.interpret(), ordered, number, progress), LONG))
    file = DeliveryFile(what="breakdown", format=kind, display=display, view=view, names="breakdown")
    one = FileOrder(file, NumberedName(out, several=False))
    ordered = _order(order, one)
    if file.is_video:
        return [path for report in deliver_videos(evaluator_pool, ordered, progress) for path in report.files]
    if kind not in _SHEET_FORMATS:
        raise BadSource(f"{out}: a sheet is a PNG, TIFF or JPEG file")
    _write_sheet(evaluator_pool, ordered, one, out, progress)
    return [out]


def _order(order: Order, one: FileOrder) -> Order:
    return replace(order, files=(one,), frames=(min(order.frames),))


def _write_sheet(evaluator_pool: EvaluatorPool, order: Order, one: FileOrder, out: Path, progress: Progress) -> None:
    number = min(order.frames)
    opened = open_frame(evaluator_pool, order, number)
    render = order.render
    width = min(_TILE_WIDTH, render.width)
    size = (width, max(1, round(render.height * width / render.width)))
    file = one.file.model_copy(update={"size": size, "bits": 8})
    sized = FileOrder(file, one.naming)

    def tiles() -> tuple[list[NDArray[Any]], Any]:
        evaluator = opened.interpret()
        names = names_of(sized, evaluator.render, order.variant, order.time(number))
        target = target_of(file, evaluator.colour_pipeline(order.variant))
        found = frame_pixels(evaluator, order.variant, sized, names, target, progress)
        return [titled(p.planes, p.name) for p in found], target.encoding

    made, encoding = evaluator_pool.evaluate(tiles, LONG)
    write_still(out, sheet_of(made), {"Software": "Escala"}, StillOptions(encoding))


def sheet_of(tiles: list[NDArray[Any]]) -> NDArray[Any]:
    """Tiles of one size in rows, about as wide as high; (H, W, 3)."""
    rows, columns, _ = tiles[0].shape
    across = max(1, round(math.sqrt(len(tiles) * rows / columns)))
    down = math.ceil(len(tiles) / across)
    sheet = np.zeros((down * (rows + _GAP) + _GAP, across * (columns + _GAP) + _GAP, 3), tiles[0].dtype)
    for index, tile in enumerate(tiles):
        top, left = (
            _GAP + place * (extent + _GAP) for place, extent in zip(divmod(index, across), (rows, columns), strict=True)
        )
        sheet[top : top + rows, left : left + columns] = tile
    return sheet

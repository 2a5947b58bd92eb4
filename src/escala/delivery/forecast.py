"""What is going to happen when an order is written, in sentences: missing frames, space and purpose, clipping, room."""

import shutil
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Literal

import numpy as np

from escala.core.errors import BadSource, EscalaError, UnknownChoice
from escala.core.planes import Planes
from escala.engine.evaluator_pool import EvaluatorPool
from escala.engine.request import EvaluationRequest, Quality
from escala.engine.viewer.viewport import whole_viewport
from escala.engine.worker import SMALL
from escala.model.delivery_preset import DeliveryFile
from escala.model.render import Render

from .checking import check_order
from .frames import open_frame
from .order import FileOrder, Order, names_of
from .pixels import Target, target_of

_SAMPLED_WIDTH = 480
# Beyond white by less is rounding; a share of the image below is not worth a sentence.
_WHITE, _LEAST_SHARE = np.float32(1.0 + 1 / 512), 0.0005
_MOST_HALF = 65504.0
# What compression leaves of pixels, roughly.
_LEFT = {"exr": 0.7, "png": 0.6, "tiff": 0.8, "jpeg": 0.1, "mkv": 0.5, "mp4": 0.02, "webm": 0.03}
_CHANNELS = {"passes": 2.5, "mattes": 1.0}


@dataclass(frozen=True)
class Finding:
    """A sentence about an order: in order, to be looked at, or in the way of it. `clips`: of clipped pixels."""

    level: Literal["ok", "warning", "error"]
    text: str
    clips: bool = False


def forecast(evaluator_pool: EvaluatorPool, order: Order, folder: Path) -> list[Finding]:
    """What is found before an order is written; nothing is written. `folder`: on the disk that it is written to."""
    try:
        check_order(evaluator_pool, order)
    except (BadSource, UnknownChoice) as error:
        return [Finding("error", str(error))]
    read = evaluator_pool.interpretation_of(order.shot, order.render, order.variant)
    found = [_frames(order)]
    try:
        opened = open_frame(evaluator_pool, order, min(order.frames))
    except EscalaError as error:
        return [*found, Finding("warning", str(error))]

    def colours() -> list[Finding]:
        evaluator = opened.interpret()
        viewport = whole_viewport(evaluator.render, _SAMPLED_WIDTH)
        request = evaluator.make_request(order.variant, viewport, Quality.PREVIEW)
        finished = evaluator.picture(request).colour
        return [one for each in order.files for one in _colour(each, request, finished)]

    found += dict.fromkeys(evaluator_pool.evaluate(colours, SMALL))
    return [*found, _room(order, read, folder)]


def file_count(order: Order, read: Render) -> int:
    """How many files an order writes."""
    return sum(
        _files_of_frame(one, order, read) * (1 if one.file.is_video else len(order.frames)) for one in order.files
    )


def _files_of_frame(one: FileOrder, order: Order, read: Render) -> int:
    if one.file.is_layered or (one.file.is_video and one.file.what == "breakdown"):
        return 1
    return len(names_of(one, read, order.variant, order.time(min(order.frames))))


def _frames(order: Order) -> Finding:
    inside = range(min(order.frames), max(order.frames) + 1)
    missing = [number for number in order.render.missing_frames if number in inside]
    if missing:
        named = ", ".join(map(str, missing[:8])) + (" and more" if len(missing) > 8 else "")
        plural = "s" if len(missing) > 1 else ""
        return Finding("warning", f"Frame{plural} {named} missing in the render: skipped.")
    count = len(order.frames)
    return Finding("ok", "The frame is there." if count == 1 else f"All {count} frames are there.")


def _colour(one: FileOrder, request: EvaluationRequest, finished: Planes) -> Iterator[Finding]:
    """Space against purpose, tags, and what is clipped, of one kind of file."""
    file, colour_pipeline = one.file, request.colour_pipeline
    if file.what == "mattes":
        return
    target = target_of(file, colour_pipeline)
    name = file.format.upper()
    yield from _purpose(file, target, name)
    if file.what != "result":
        return
    values = target.encode(finished, colour_pipeline.working.name)
    top = float(np.nanmax(values)) if np.isfinite(values).any() else 0.0
    if file.is_float:
        if file.pixel_type != "float" and top > _MOST_HALF:
            yield Finding(
                "warning", f"{name} half ends at {_MOST_HALF:.0f}: the image goes up to {top:.3g}. Choose float."
            )
        elif target.view is None:
            yield Finding("ok", f"{name} in {target.words} keeps values up to {top:.3g}.")
        return
    share = float(np.mean((values > _WHITE).any(axis=0)))
    if share > _LEAST_SHARE:
        why = "the view does not limit light" if target.view is not None else f"{target.words} goes beyond 1"
        yield Finding("warning", f"{name} clips {share:.1%} of the image at white: {why}.", clips=True)
    else:
        yield Finding("ok", f"{name} as shown, {target.words}: nothing is clipped.")


def _purpose(file: DeliveryFile, target: Target, name: str) -> Iterator[Finding]:
    config = target.colour_pipeline.config
    is_linear = target.view is None and config.is_scene_linear(target.space)
    if file.format == "exr" and not is_linear:
        yield Finding(
            "warning", f"EXR holds display-referred values, {target.words}: compositing expects scene-linear."
        )
    elif not file.is_float and is_linear:
        yield Finding("warning", f"{name} holds scene-linear values, {target.words}: it clips above 1 and looks dark.")
    if target.encoding is None:
        yield Finding("warning", f"{name} is not tagged: no standard tag describes {target.words}.")


def _room(order: Order, read: Render, folder: Path) -> Finding:
    wanted = sum(_bytes_of(one, order, read) for one in order.files)
    free = shutil.disk_usage(next(place for place in (folder, *folder.parents) if place.exists())).free
    text = f"About {_size(wanted)} of {_size(free)} free on the disk."
    return Finding("ok" if wanted < 0.9 * free else "error" if wanted > free else "warning", text)


def _bytes_of(one: FileOrder, order: Order, read: Render) -> float:
    file, box = one.file, read.display
    names = len(names_of(one, read, order.variant, order.time(min(order.frames))))
    pixels: float = box.width * box.height
    if isinstance(file.size, tuple):
        pixels = file.size[0] * file.size[1]
    elif file.size is not None:
        pixels *= file.size**2
    width = (4 if file.pixel_type == "float" else 2) if file.is_float else (1 if file.depth == 8 else 2)
    return pixels * width * names * _CHANNELS.get(file.what, 3.0) * len(order.frames) * _LEFT[file.format]


def _size(count: float) -> str:
    """Bytes in the unit in which they are read."""
    for unit, size in (("GB", 1e9), ("MB", 1e6)):
        if count >= size:
            return f"{count / size:.1f} {unit}" if count < 10 * size else f"{count / size:.0f} {unit}"
    return f"{count / 1e3:.0f} kB"

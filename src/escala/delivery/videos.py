"""Videos of an order: all its frames in one file, or the steps of a break-down, each held for a while."""

from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from escala.core.errors import EscalaError
from escala.engine.evaluator import Evaluator
from escala.engine.evaluator_pool import EvaluatorPool, OpenedFrame
from escala.engine.progress import Progress, no_progress
from escala.engine.worker import LONG
from escala.media.atomic_write import translate_write_errors
from escala.media.video_writer import VideoOptions, exact_rate, write_video
from escala.media.whole_files import is_whole

from .frames import FrameReport, each_frame, open_frame
from .order import FileOrder, Order, paths_of
from .pixels import frame_pixels, target_of
from .titles import titled

# Seconds for which each step of a break-down is shown.
_HELD = 1.5


def deliver_videos(
    evaluator_pool: EvaluatorPool, order: Order, progress: Progress = no_progress
) -> Iterator[FrameReport]:
    """Write the videos of an order, one after another; then tell of frames that could not be read, once each.

    Raises `BadSource` for what a codec cannot hold, and what `progress` raises.
    """
    failed: dict[int, EscalaError] = {}
    for one in order.videos:
        read = evaluator_pool.interpretation_of(order.shot, order.render, order.variant)
        for path, names in paths_of(order, one, read, min(order.frames)).items():
            if not (order.keeps and is_whole(path)):
                with translate_write_errors(path.parent):
                    path.parent.mkdir(parents=True, exist_ok=True)
                if one.file.what == "breakdown":
                    _write_breakdown(evaluator_pool, order, one, path, names, progress)
                else:
                    _write_frames(evaluator_pool, order, one, path, names, failed, progress)
            yield FrameReport(None, (path,))
    for number, error in failed.items():
        yield FrameReport(number, error=str(error))


def _options(evaluator_pool: EvaluatorPool, order: Order, one: FileOrder) -> VideoOptions:
    first = evaluator_pool.engine_of_variant(order.shot, order.render, order.variant)
    target = target_of(one.file, first.colour_pipeline(order.variant))
    encoding = None if one.file.what == "mattes" else target.encoding
    return VideoOptions(order.time(0).rate, one.file.depth, one.file.quality or 80, encoding)


def _write_frames(
    evaluator_pool: EvaluatorPool,
    order: Order,
    one: FileOrder,
    path: Path,
    names: list[str],
    failed: dict[int, EscalaError],
    progress: Progress,
) -> None:
    def pixels(opened: OpenedFrame, number: int, frame: Progress) -> NDArray[Any]:
        return evaluator_pool.evaluate(lambda: _pixels(opened.interpret(), order, one, names, frame)[0], LONG)

    def frames() -> Iterator[NDArray[Any]]:
        for number, outcome in each_frame(evaluator_pool, order, pixels, progress):
            if isinstance(outcome, EscalaError):
                failed[number] = outcome
            else:
                yield outcome

    write_video(path, frames(), _options(evaluator_pool, order, one))


def _write_breakdown(
    evaluator_pool: EvaluatorPool, order: Order, one: FileOrder, path: Path, names: list[str], progress: Progress
) -> None:
    """The steps of the first frame, each with its title in a strip beneath."""
    opened = open_frame(evaluator_pool, order, min(order.frames))
    stills = evaluator_pool.evaluate(lambda: _pixels(opened.interpret(), order, one, names, progress), LONG)
    options = _options(evaluator_pool, order, one)
    times = max(1, round(float(exact_rate(options.rate)) * _HELD))
    shown = (titled(still, name) for still, name in zip(stills, names, strict=True))
    write_video(path, (still for each in shown for still in [each] * times), options)


def _pixels(
    evaluator: Evaluator, order: Order, one: FileOrder, names: list[str], progress: Progress
) -> list[NDArray[Any]]:
    target = target_of(one.file, evaluator.colour_pipeline(order.variant))
    found = frame_pixels(evaluator, order.variant, one, names, target, progress)
    return [p.planes if p.planes.shape[2] == 3 else np.repeat(p.planes[:, :, :1], 3, axis=2) for p in found]

"""Frames of an order written to files, one after another in this process or each in any other."""

from collections.abc import Callable, Iterator
from contextlib import closing
from dataclasses import dataclass
from functools import lru_cache, partial
from pathlib import Path
from typing import TypeVar

from escala.core.errors import EscalaError, NoRoom
from escala.engine.evaluator_pool import EvaluatorPool, OpenedFrame, StorePlace
from escala.engine.progress import Cancelled, Progress, no_progress, subrange
from escala.engine.worker import LONG, Closed
from escala.media.prefetch import read_ahead

from .frame_writer import write_frame
from .order import Order

# So many frames are read while one is written.
_AHEAD = 2
Outcome = TypeVar("Outcome")


@dataclass(frozen=True)
class FrameReport:
    """How a frame ended: its files, or why it could not be written, in a sentence. `number` is None for a video.

    `is_final`: whether the same would stop every other frame. It can be pickled.
    """

    number: int | None
    files: tuple[Path, ...] = ()
    error: str | None = None
    is_final: bool = False


def deliver_frames(
    evaluator_pool: EvaluatorPool, order: Order, progress: Progress = no_progress
) -> Iterator[FrameReport]:
    """Write the frames in order, and tell how each ended; one that fails does not stop the others.

    The next frames are read while one is written. Raises what `progress` raises.
    """

    def write(opened: OpenedFrame, number: int, frame: Progress) -> tuple[Path, ...]:
        return _write(evaluator_pool, opened, order, number, frame)

    for number, outcome in each_frame(evaluator_pool, order, write, progress):
        if isinstance(outcome, EscalaError):
            yield FrameReport(number, error=str(outcome))
        else:
            yield FrameReport(number, outcome)


def each_frame(
    evaluator_pool: EvaluatorPool,
    order: Order,
    work: Callable[[OpenedFrame, int, Progress], Outcome],
    progress: Progress = no_progress,
) -> Iterator[tuple[int, Outcome | EscalaError]]:
    """What work gives for each frame of an order, or why a frame has none; the next are read meanwhile."""
    reads = [partial(_attempt, partial(open_frame, evaluator_pool, order, number)) for number in order.frames]
    with closing(read_ahead(reads, _AHEAD)) as opened:
        for done, number in enumerate(order.frames):
            frame = _named(subrange(progress, done / len(order.frames), (done + 1) / len(order.frames)), number)
            frame(0.0, "")
            found = next(opened)
            yield number, found if isinstance(found, EscalaError) else _attempt(partial(work, found, number, frame))
            del found
            evaluator_pool.trim()


def deliver_frame(order: Order, number: int, progress: Progress = no_progress) -> tuple[Path, ...]:
    """Write one frame of an order in a process that does nothing else. Returns its files. Raises as `write_frame`."""
    evaluator_pool = own_pool(order.store)
    try:
        return _write(evaluator_pool, open_frame(evaluator_pool, order, number), order, number, progress)
    finally:
        evaluator_pool.trim()


def open_frame(evaluator_pool: EvaluatorPool, order: Order, number: int) -> OpenedFrame:
    """A frame with all that the variant of an order needs of it, decoded."""
    return evaluator_pool.open(
        order.shot, order.render, order.variant, number, is_cacheable=False, further=order.further
    )


@lru_cache(maxsize=1)
def own_pool(store: StorePlace) -> EvaluatorPool:
    """The evaluator pool of this process, for all frames of an order."""
    return EvaluatorPool(store.folder, store.limit, store.roots)


def _write(
    evaluator_pool: EvaluatorPool, opened: OpenedFrame, order: Order, number: int, progress: Progress
) -> tuple[Path, ...]:
    return evaluator_pool.evaluate(lambda: write_frame(opened.interpret(), order, number, progress), LONG)


def _attempt(work: Callable[[], Outcome]) -> Outcome | EscalaError:
    """The outcome of work, or the error of this frame alone; what would stop every other frame too is raised."""
    try:
        return work()
    except (Cancelled, Closed, NoRoom):
        raise
    except EscalaError as error:
        return error


def _named(progress: Progress, number: int) -> Progress:
    """Progress of a frame, with its number before the step."""
    return lambda share, doing: progress(share, f"frame {number}{', ' if doing else ''}{doing}")

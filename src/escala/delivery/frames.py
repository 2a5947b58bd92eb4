"""Frames of a variant written to files, one after another in this process or each in any other."""

import re
from collections.abc import Iterator, Mapping, Sequence
from contextlib import closing
from dataclasses import dataclass, field, replace
from functools import lru_cache, partial
from pathlib import Path

from escala.core.errors import BadSource
from escala.engine.evaluator_pool import EvaluatorPool, OpenedFrame, StorePlace
from escala.engine.progress import Progress, no_progress, subrange
from escala.engine.worker import LONG
from escala.media.prefetch import read_ahead
from escala.model.render import Render
from escala.model.variant import Variant

from .deliver import Delivery, write_frame

# So many frames are read while one is written.
_AHEAD = 2


@dataclass(frozen=True)
class Order:
    """Frames of a variant to be written; `file` says what each holds, its name becomes that of each frame.

    It can be pickled: another process writes the same bits. `store`: where decoded frames are kept. `further`: the
    further renders of the shot by name.
    """

    shot: int
    render: Render
    variant: Variant
    frames: tuple[int, ...]
    file: Delivery
    store: StorePlace
    further: Mapping[str, Render] = field(default_factory=dict)

    def path_of(self, number: int) -> Path:
        """The file of a frame."""
        return frame_path(self.file.path, number, len(self.render.frames) > 1)


def frame_path(out: Path, number: int, several: bool) -> Path:
    """The file of a frame: #### or %04d in the name is replaced, else the number is put before the extension."""
    name = re.sub(r"#+", lambda match: f"{number:0{len(match.group())}d}", out.name)
    name = re.sub(r"%0?(\d*)d", lambda match: f"{number:0{int(match.group(1) or 1)}d}", name)
    if name == out.name and several:
        name = f"{out.stem}.{number:04d}{out.suffix}"
    return out.with_name(name)


def wanted_frames(render: Render, frames: Sequence[int]) -> tuple[int, ...]:
    """The requested frames, each once; all when none is named. Raises `BadSource` for one that is not there."""
    numbers = tuple(dict.fromkeys(frames)) or tuple(sorted(render.frames))
    absent = next((number for number in numbers if number not in render.frames), None)
    if absent is not None:
        raise BadSource(f"{render.name} has no frame {absent}")
    return numbers


def deliver_frames(evaluator_pool: EvaluatorPool, order: Order, progress: Progress = no_progress) -> Iterator[Path]:
    """Write the frames in order; each file as it is there, whole. The next frames are read while one is written."""
    reads = [
        partial(
            evaluator_pool.open,
            order.shot,
            order.render,
            order.variant,
            number,
            is_cacheable=False,
            further=order.further,
        )
        for number in order.frames
    ]
    with closing(read_ahead(reads, _AHEAD)) as opened:
        for done, number in enumerate(order.frames):
            frame = _named(subrange(progress, done / len(order.frames), (done + 1) / len(order.frames)), number)
            frame(0.0, "")
            evaluator_pool.evaluate(partial(_deliver, next(opened), order, number, frame), LONG)
            yield order.path_of(number)


def deliver_frame(order: Order, number: int, progress: Progress = no_progress) -> Path:
    """Write one frame of an order in a process that does nothing else. Returns its file. Raises as `write_frame`."""
    evaluator_pool = _own_pool(order.store)
    opened = evaluator_pool.open(
        order.shot, order.render, order.variant, number, is_cacheable=False, further=order.further
    )
    evaluator_pool.evaluate(partial(_deliver, opened, order, number, progress), LONG)
    return order.path_of(number)


@lru_cache(maxsize=1)
def _own_pool(store: StorePlace) -> EvaluatorPool:
    """The evaluator pool of this process, for all frames of an order."""
    return EvaluatorPool(store.folder, store.limit, store.roots)


def _deliver(opened: OpenedFrame, order: Order, number: int, progress: Progress) -> None:
    file = replace(order.file, path=order.path_of(number))
    write_frame(opened.interpret(), order.variant, file, progress)


def _named(progress: Progress, number: int) -> Progress:
    """Progress of a frame, with its number before the step."""
    return lambda share, doing: progress(share, f"frame {number}{', ' if doing else ''}{doing}")

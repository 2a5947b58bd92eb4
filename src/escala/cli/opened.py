"""A render opened for one command."""

import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING

from escala.engine.source.intake import read_render
from escala.media.decode import decode_frame_here
from escala.media.intake import Decoder, decode_in_child
from escala.media.store import StoredFrame
from escala.model.render import Render

from .guard import is_guarded

if TYPE_CHECKING:
    from escala.engine.evaluator_pool import EvaluatorPool

# What a command opens is its only shot.
SHOT = 0
# Frames come one after the other: more than a few are never needed at once.
_STORE_BYTES = 16 * 2**30


@contextmanager
def read_once(sources: list[str], fit: bool = False) -> Iterator[tuple[Render, StoredFrame]]:
    """A render and its first frame, in a store that is deleted afterwards; nothing is evaluated."""
    with tempfile.TemporaryDirectory(prefix="escala-") as folder:
        yield read_render(sources, Path(folder), fit=fit, decoder=_decoder())


@contextmanager
def opened_render(sources: list[str], fit: bool = False) -> Iterator[tuple["EvaluatorPool", Render]]:
    """A render in an evaluator pool whose store is deleted afterwards."""
    from escala.engine.evaluator_pool import EvaluatorPool  # only commands that evaluate pay for all that it imports

    with tempfile.TemporaryDirectory(prefix="escala-") as folder:
        evaluator_pool = EvaluatorPool(Path(folder), _STORE_BYTES, decoder=_decoder())
        render, _ = evaluator_pool.read(sources, fit)
        yield evaluator_pool, render


def _decoder() -> Decoder:
    """Files are decoded here where this process may fall, else in a child."""
    return decode_frame_here if is_guarded() else decode_in_child

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
    from escala.engine.workshop import Workshop

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
def opened_render(sources: list[str], fit: bool = False) -> Iterator[tuple["Workshop", Render]]:
    """A render in a workshop whose store is deleted afterwards."""
    from escala.engine.workshop import Workshop  # only commands that evaluate pay for all that it imports

    with tempfile.TemporaryDirectory(prefix="escala-") as folder:
        workshop = Workshop(Path(folder), _STORE_BYTES, decoder=_decoder())
        render, _ = workshop.read(sources, fit)
        yield workshop, render


def _decoder() -> Decoder:
    """Files are decoded here where this process may fall, else in a child."""
    return decode_frame_here if is_guarded() else decode_in_child

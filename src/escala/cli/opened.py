"""A render opened for one command."""

import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from escala.engine.source.intake import read_render
from escala.media.decode import decode_frame_here
from escala.media.intake import Decoder, decode_in_child
from escala.media.store import StoredFrame
from escala.model.render import Render

from .guard import is_guarded


@contextmanager
def opened_render(sources: list[str], fit: bool = False) -> Iterator[tuple[Render, StoredFrame, Path]]:
    """A render and its first frame in a store that is deleted afterwards."""
    with tempfile.TemporaryDirectory(prefix="escala-") as folder:
        store = Path(folder)
        yield (*read_render(sources, store, fit=fit, decoder=decoder()), store)


def decoder() -> Decoder:
    """How frames are decoded: here where this process may fall, else in a child."""
    return decode_frame_here if is_guarded() else decode_in_child

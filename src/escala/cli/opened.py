"""A render opened for one command."""

import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from escala.engine.workshop import Workshop
from escala.media.decode import decode_frame_here
from escala.media.intake import decode_in_child
from escala.model.render import Render

from .guard import is_guarded

# What a command opens is its only shot.
SHOT = 0
# Frames come one after the other: more than a few are never needed at once.
_STORE_BYTES = 16 * 2**30


@contextmanager
def opened_render(sources: list[str], fit: bool = False) -> Iterator[tuple[Workshop, Render]]:
    """A render in a workshop whose store is deleted afterwards."""
    # Files are decoded here where this process may fall, else in a child.
    decoder = decode_frame_here if is_guarded() else decode_in_child
    with tempfile.TemporaryDirectory(prefix="escala-") as folder:
        workshop = Workshop(Path(folder), _STORE_BYTES, decoder=decoder)
        render, _ = workshop.read(sources, fit)
        yield workshop, render

"""Open a render for one command or script, in a pass store that is deleted afterwards."""

import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING

from escala.engine.source.intake import read_render
from escala.media.intake import Decoder, decode_in_child
from escala.media.store import StoredFrame
from escala.model.render import Render

if TYPE_CHECKING:
    from escala.engine.evaluator_pool import EvaluatorPool

# The render is the only shot of its evaluator pool.
SHOT = 0
# Frames come one after the other: more than a few are never needed at once.
_STORE_BYTES = 16 * 2**30


@contextmanager
def read_once(
    sources: list[str], fit: bool = False, decoder: Decoder = decode_in_child
) -> Iterator[tuple[Render, StoredFrame]]:
    """A render and its first frame; nothing is evaluated. `fit`: resize files to match the first."""
    with tempfile.TemporaryDirectory(prefix="escala-") as folder:
        yield read_render(sources, Path(folder), fit=fit, decoder=decoder)


@contextmanager
def opened_render(
    sources: list[str], fit: bool = False, decoder: Decoder = decode_in_child
) -> Iterator[tuple["EvaluatorPool", Render]]:
    """A render as the shot `SHOT` of an evaluator pool, which is closed afterwards."""
    from escala.engine.evaluator_pool import EvaluatorPool  # only what evaluates pays for all that it imports

    with tempfile.TemporaryDirectory(prefix="escala-") as folder:
        evaluator_pool = EvaluatorPool(Path(folder), _STORE_BYTES, decoder=decoder)
        try:
            render, _ = evaluator_pool.read(sources, fit)
            yield evaluator_pool, render
        finally:
            evaluator_pool.close()

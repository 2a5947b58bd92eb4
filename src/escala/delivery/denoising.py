"""Renders written anew with denoised passes; all else in them keeps its bits."""

from collections.abc import Iterator, Sequence
from pathlib import Path

from escala.core.errors import BadSource
from escala.engine.evaluator_pool import EvaluatorPool
from escala.engine.source.intake import frame_files
from escala.media.repack import Choice, gather_frame
from escala.model.render import Render
from escala.model.source import Denoise, SourceChoice
from escala.model.variant import Variant

from .naming import frame_path


def denoise_frames(
    evaluator_pool: EvaluatorPool, shot: int, render: Render, choice: Denoise, out: Path, frames: Sequence[int]
) -> Iterator[Path]:
    """All passes of each frame in one file, denoised ones in place of the stored; `out` names it, #### for a sequence.

    Raises `NoDenoiser` without the package, `BadSource` where there is nothing to denoise.
    """
    variant = Variant(source=SourceChoice(denoise=choice))
    for number in frames:
        evaluator = evaluator_pool.engine_of_variant(shot, render, variant, number)
        if not evaluator.frame.denoised:
            raise BadSource(f"{render.name} has no lighting pass in its sum: name passes with --passes")
        path = frame_path(out, number, len(frames) > 1)
        corner = render.raster.x, render.raster.y
        smooth = {name: evaluator.frame.planes(name) for name in evaluator.frame.denoised}
        gather_frame(frame_files(render, number), path, Choice(), smooth, corner)
        yield path

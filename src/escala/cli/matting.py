"""The work of `escala matte`: mattes of frames as EXR files."""

import argparse

import numpy as np

from escala.core.errors import choose
from escala.core.planes import Matte
from escala.delivery.documents import read_variant
from escala.delivery.naming import frame_path
from escala.delivery.opening import SHOT, opened_render
from escala.engine.evaluator import Evaluator
from escala.engine.mattes.objects import matte_of_objects
from escala.engine.request import Quality
from escala.engine.viewer.viewport import full_viewport
from escala.engine.worker import LONG
from escala.media.exr import write_exr
from escala.media.windows import Window
from escala.model.variant import Variant

from .guard import decoder
from .rendering import frames_of, report_unresolved


def write_mattes(options: argparse.Namespace) -> None:
    """Write one float channel A for each frame. Raises `UnknownChoice` for an object or matte that is not there."""
    variant = read_variant(options.variant) if options.variant else Variant()
    if options.matte:
        choose("matte", options.matte, variant.mattes)
    with opened_render(options.source, options.fit, decoder()) as (evaluator_pool, render):
        if options.matte:
            report_unresolved(evaluator_pool, render, variant)
        for number in frames_of(render, options.frames):
            evaluator = evaluator_pool.engine_of_variant(SHOT, render, variant, number)
            matte = evaluator_pool.evaluate(lambda at=evaluator: _matte(at, variant, options), LONG)  # type: ignore[misc]
            raster, display = (
                Window(**box.model_dump()) for box in (evaluator.render.raster, evaluator.render.display)
            )
            write_exr(frame_path(options.out, number, len(render.frames) > 1), {"A": matte}, raster, display)
            evaluator_pool.trim()


def _matte(evaluator: Evaluator, variant: Variant, options: argparse.Namespace) -> Matte:
    if not options.matte:
        return matte_of_objects(evaluator.frame, options.name, options.layer)
    raster = evaluator.render.raster
    whole = full_viewport(0, 0, raster.width, raster.height)
    return np.ascontiguousarray(
        evaluator.mattes.at(options.matte, evaluator.make_request(variant, whole, Quality.EXPORT))
    )

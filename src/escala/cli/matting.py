"""The work of `escala matte`: mattes of frames as EXR files."""

import argparse

import numpy as np

from escala.core.errors import choose
from escala.core.planes import Matte
from escala.delivery.frames import frame_path
from escala.engine.evaluation import Quality
from escala.engine.evaluator import Evaluator
from escala.engine.looking.look import full_look
from escala.engine.mattes.objects import matte_of_objects
from escala.engine.worker import LONG
from escala.media.exr import write_exr
from escala.media.windows import Window
from escala.model.variant import Variant

from .opened import SHOT, opened_render
from .rendering import frames_of, read_variant, tell_what_waits


def write_mattes(options: argparse.Namespace) -> None:
    """Write one float channel A for each frame. Raises `UnknownChoice` for an object or matte that is not there."""
    variant = read_variant(options.variant) if options.variant else Variant()
    if options.matte:
        choose("matte", options.matte, variant.mattes)
    with opened_render(options.source, options.fit) as (workshop, render):
        if options.matte:
            tell_what_waits(workshop, render, variant)
        for number in frames_of(render, options.frames):
            engine = workshop.engine_of_variant(SHOT, render, variant, number)
            matte = workshop.evaluate(lambda at=engine: _matte(at, variant, options), LONG)  # type: ignore[misc]
            raster, display = (Window(**box.model_dump()) for box in (engine.render.raster, engine.render.display))
            write_exr(frame_path(options.out, number, len(render.frames) > 1), {"A": matte}, raster, display)
            workshop.trim()


def _matte(engine: Evaluator, variant: Variant, options: argparse.Namespace) -> Matte:
    if not options.matte:
        return matte_of_objects(engine.frame, options.name, options.layer)
    raster = engine.render.raster
    whole = full_look(0, 0, raster.width, raster.height)
    return np.ascontiguousarray(engine.mattes.at(options.matte, engine.make_request(variant, whole, Quality.EXPORT)))

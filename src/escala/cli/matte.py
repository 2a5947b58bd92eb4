"""`escala matte`: exact coverage of named objects."""

import argparse
from pathlib import Path
from typing import Any


def add_commands(commands: Any) -> None:
    """Register the command."""
    matte = commands.add_parser("matte", help="write the exact coverage of named objects")
    matte.add_argument("source", nargs=1, metavar="SOURCE")
    matte.add_argument("--name", action="append", required=True, metavar="OBJECT")
    matte.add_argument("--layer")
    matte.add_argument("--out", type=Path, required=True, metavar="FILE.exr")
    matte.set_defaults(run=run_matte)


def run_matte(options: argparse.Namespace) -> None:
    """Write one float channel A."""
    from escala.engine.mattes.objects import matte_of_objects
    from escala.engine.worker import LONG
    from escala.media.exr import write_exr
    from escala.media.windows import Window

    from .opened import SHOT, opened_render

    with opened_render(options.source) as (workshop, render):
        frame = workshop.engine_for(SHOT, render).frame
        matte = workshop.evaluate(lambda: matte_of_objects(frame, options.name, options.layer), LONG)
        raster, display = Window(**render.raster.model_dump()), Window(**render.display.model_dump())
        write_exr(options.out, {"A": matte}, raster, display)

"""`escala denoise`: all passes of a render in one file, those that are summed without their noise."""

import argparse
from pathlib import Path
from typing import Any

from .arguments import frame_range


def add_commands(commands: Any) -> None:
    """Register the command."""
    denoise = commands.add_parser("denoise", help="write all passes denoised to one file")
    denoise.add_argument("source", nargs="+", metavar="SOURCE")
    denoise.add_argument("--out", type=Path, required=True, metavar="FILE.exr", help="with #### for a sequence")
    denoise.add_argument("--passes", nargs="+", metavar="PASS", help="passes to denoise; default: all of the sum")
    denoise.add_argument("--frames", type=frame_range, metavar="A-B", help="frames of a sequence; default: all")
    denoise.set_defaults(run=run_denoise)


def run_denoise(options: argparse.Namespace) -> None:
    """Write a file for each frame and print its name."""
    from escala.core.errors import BadSource, UnknownChoice, UnreadableFile
    from escala.delivery.denoising import denoise_frames
    from escala.delivery.opening import SHOT, opened_render
    from escala.model.source import Denoise

    from .guard import decoder
    from .rendering import frames_of

    if options.out.suffix.lower() != ".exr":
        raise BadSource(f"{options.out}: gather writes an EXR file")
    if not options.out.parent.is_dir():
        raise UnreadableFile(options.out, "the folder does not exist")
    with opened_render(options.source, decoder=decoder()) as (evaluator_pool, render):
        absent = next((name for name in options.passes or () if render.find_pass(name) is None), None)
        if absent is not None:
            raise UnknownChoice("pass", absent, [p.name for p in render.passes])
        choice = Denoise(on=True, passes=None if options.passes is None else tuple(options.passes))
        for path in denoise_frames(
            evaluator_pool, SHOT, render, choice, options.out, frames_of(render, options.frames)
        ):
            print(path)

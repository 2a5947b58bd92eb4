"""`escala render`: levels and corrections applied, the picture written: the same pixels as the browser's."""

import argparse
from pathlib import Path
from typing import Any

from .arguments import add_fit, frame_range, name_and_stops, name_and_tint, variable


def add_commands(commands: Any) -> None:
    """Register the command."""
    render = commands.add_parser("render", help="apply levels and corrections, and export the image")
    render.add_argument("source", nargs="+", metavar="SOURCE")
    render.add_argument("--out", type=Path, required=True, metavar="FILE")
    render.add_argument("--variant", type=Path, metavar="FILE.json")
    for option in ("--light", "--component"):
        render.add_argument(option, action="append", default=[], type=name_and_stops, metavar="NAME=STOPS")
    render.add_argument("--tint", action="append", default=[], type=name_and_tint, metavar="NAME=R,G,B")
    for option in ("--mute", "--solo"):
        render.add_argument(option, action="append", default=[], metavar="NAME")
    for option in ("--input-space", "--working-space", "--ocio", "--display", "--view", "--look", "--space"):
        render.add_argument(option)
    render.add_argument("--context", action="append", default=[], type=variable, metavar="NAME=VALUE")
    render.add_argument("--cdl", type=Path, metavar="FILE")
    render.add_argument("--lut", type=Path, metavar="FILE")
    render.add_argument("--station", default="display", metavar="NAME", help="station of the path to export")
    render.add_argument("--frames", type=frame_range, metavar="A-B")
    render.add_argument("--bits", type=int, choices=(8, 16), default=16, help="for PNG and TIFF")
    render.add_argument("--float", action="store_true", help="write EXR as 32-bit float instead of half")
    add_fit(render)
    render.set_defaults(run=run_render)


def run_render(options: argparse.Namespace) -> None:
    """Render every frame asked for."""
    from .rendering import render_frames

    render_frames(options)

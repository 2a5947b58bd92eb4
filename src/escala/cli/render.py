"""`escala render`: levels and corrections applied, the picture written: the same pixels as the browser's."""

import argparse
from pathlib import Path
from typing import Any

from .arguments import add_fit, frame_range, name_and_stops, name_and_tint, positive, render_and_source, variable

_COLOUR = {
    "--input-space": "colour space of the source; default: by file metadata",
    "--working-space": "colour space of all computation",
    "--ocio": "OpenColorIO config: a file or a built-in name",
    "--display": "display of display-referred output",
    "--view": "view of display-referred output",
    "--look": "look instead of the view's own; empty for none",
}


def add_commands(commands: Any) -> None:
    """Register the command."""
    render = commands.add_parser("render", help="apply levels and corrections, and export the image")
    add = render.add_argument
    add("source", nargs="+", metavar="SOURCE", help="file, files, folder or sequence")
    add("--out", type=Path, required=True, metavar="FILE|DIR",
        help="EXR, PNG, TIFF, JPEG or video file, with #### for a sequence; with --preset a folder")  # fmt: skip
    add("--preset", type=Path, metavar="F.json", help="delivery preset: which files are written to the folder")
    add("--resume", action="store_true", help="keep files that are there whole")
    add("--workers", type=positive, default=1, metavar="N", help="processes that write frames; default: this one")
    add("--scheduler", metavar="ADDRESS", help="scheduler of an existing Dask cluster whose workers write frames")
    add("--variant", type=Path, metavar="FILE.json", help="variant document to apply")
    add("--balance", type=Path, metavar="F.json", help="balance preset to apply after the variant")
    add("--sheet", type=Path, metavar="F.csv|json", help="light sheet to apply after the preset")
    levels = {"action": "append", "default": [], "type": name_and_stops, "metavar": "NAME=STOPS"}
    add("--light", help="level of a light, in stops", **levels)
    add("--component", help="level of a component, in stops", **levels)
    add("--tint", action="append", default=[], type=name_and_tint, metavar="NAME=R,G,B", help="tint of a light")
    for option, text in (("--mute", "mute a light or component"), ("--solo", "solo a light or component")):
        add(option, action="append", default=[], metavar="NAME", help=text)
    for option, text in _COLOUR.items():
        add(option, help=text)
    add("--output-space", "--space", dest="space", help="colour space of an EXR; default: the input space")
    add("--context", action="append", default=[], type=variable, metavar="NAME=VALUE", help="config context variable")
    add("--cdl", type=Path, metavar="FILE", help="CDL to add at Finish: .cdl, .cc or .ccc")
    add("--lut", type=Path, metavar="FILE", help="LUT file to add at Finish")
    add("--render", action="append", default=[], type=render_and_source, metavar="NAME=SOURCE", dest="renders",
        help="a further render that layers of the plate show; once per file of it")  # fmt: skip
    add("--station", default="display", metavar="NAME", help="station of the path to export")
    add("--frames", type=frame_range, metavar="A-B", help="frames of a sequence; default: all")
    add("--bits", type=int, choices=(8, 16), help="bits per channel of PNG and TIFF; default: 16")
    add("--float", action="store_true", help="write EXR as 32-bit float instead of half")
    add_fit(render)
    render.set_defaults(run=run_render)


def run_render(options: argparse.Namespace) -> None:
    """Render every requested frame."""
    from .rendering import render_frames

    render_frames(options)

"""`escala matte`: exact coverage of named objects, or a matte of a variant."""

import argparse
from pathlib import Path
from typing import Any

from .arguments import add_fit, frame_range


def add_commands(commands: Any) -> None:
    """Register the command."""
    matte = commands.add_parser("matte", help="write the coverage of objects, or a matte of a variant")
    matte.add_argument("source", nargs="+", metavar="SOURCE")
    what = matte.add_mutually_exclusive_group(required=True)
    what.add_argument("--name", action="append", metavar="OBJECT", help="object name; several are summed")
    what.add_argument("--matte", metavar="NAME", help="matte of the variant")
    matte.add_argument("--layer", help="cryptomatte layer, if several contain the name")
    matte.add_argument("--variant", type=Path, metavar="FILE.json", help="variant that contains the matte")
    matte.add_argument("--out", type=Path, required=True, metavar="FILE.exr")
    matte.add_argument("--frames", type=frame_range, metavar="A-B", help="frames of a sequence; default: all")
    add_fit(matte)
    matte.set_defaults(run=run_matte)


def run_matte(options: argparse.Namespace) -> None:
    """Write one float channel A for each frame."""
    from escala.core.errors import BadSource

    from .matting import write_mattes

    if bool(options.matte) != bool(options.variant):
        raise BadSource("--matte names a matte of --variant: give both, or --name for objects of the render")
    write_mattes(options)

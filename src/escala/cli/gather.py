"""`escala gather`: all passes in one file."""

import argparse
from pathlib import Path
from typing import Any

from escala.core.errors import BadSource, UnreadableFile

from .arguments import add_choice


def add_commands(commands: Any) -> None:
    """Register the command."""
    gather = commands.add_parser("gather", help="write all passes to one file")
    gather.add_argument("source", nargs="+", metavar="SOURCE")
    gather.add_argument("--out", type=Path, required=True, metavar="FILE.exr", help="with #### for a sequence")
    add_choice(gather)
    gather.set_defaults(run=run_gather)


def run_gather(options: argparse.Namespace) -> None:
    """Write a file for each frame and print its name."""
    from escala.delivery.passes import gather_frames
    from escala.media.repack import Choice
    from escala.media.sources import find_render

    source = find_render(options.source)
    if options.out.suffix.lower() != ".exr":
        raise BadSource(f"{options.out}: gather writes an EXR file")
    if not options.out.parent.is_dir():
        raise UnreadableFile(options.out, "the folder does not exist")
    choice = Choice(tuple(options.only), tuple(options.drop), dict(options.rename))
    for file in gather_frames(source.frames, options.out, choice):
        print(file.path)

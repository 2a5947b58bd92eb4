"""`escala split`: one file for each pass."""

import argparse
from pathlib import Path
from typing import Any

from .arguments import add_choice


def add_commands(commands: Any) -> None:
    """Register the command."""
    split = commands.add_parser(
        "split",
        help="write one file per pass; prints the files, and the pass where the file name differs",
    )
    split.add_argument("source", nargs="+", metavar="SOURCE")
    split.add_argument("--out", type=Path, required=True, metavar="DIR")
    add_choice(split)
    split.set_defaults(run=run_split)


def run_split(options: argparse.Namespace) -> None:
    """Write the files and print their names."""
    from escala.delivery.passes import split_frames
    from escala.media.repack import Choice
    from escala.media.sources import find_render

    source = find_render(options.source)
    options.out.mkdir(parents=True, exist_ok=True)
    choice = Choice(tuple(options.only), tuple(options.drop), dict(options.rename))
    for file in split_frames(source.frames, options.out, source.name, choice):
        (name,) = file.passes
        # Names that no file can have are written otherwise: which pass it is stands behind a tab, then.
        print(file.path if f".{name}." in file.path.name else f"{file.path}\t{name}")

"""`escala split` and `escala gather`: passes between files, from a terminal."""

import argparse
import re
from pathlib import Path
from typing import Any

from escala.core.errors import BadSource, UnreadableFile


def add_commands(commands: Any) -> None:
    """Register the commands."""
    split = commands.add_parser("split", help="write one file for each pass")
    split.add_argument("source", nargs="+", metavar="SOURCE")
    split.add_argument("--out", type=Path, required=True, metavar="DIR")
    _add_choice(split)
    split.set_defaults(run=run_split)
    gather = commands.add_parser("gather", help="write all passes into one file")
    gather.add_argument("source", nargs="+", metavar="SOURCE")
    gather.add_argument("--out", type=Path, required=True, metavar="FILE.exr", help="with #### for a sequence")
    _add_choice(gather)
    gather.set_defaults(run=run_gather)


def _add_choice(command: argparse.ArgumentParser) -> None:
    command.add_argument("--pass", dest="only", action="append", default=[], metavar="NAME", help="only this pass")
    command.add_argument("--drop", action="append", default=[], metavar="NAME", help="leave this pass out")
    command.add_argument("--rename", action="append", default=[], type=_renaming, metavar="OLD=NEW")


def run_split(options: argparse.Namespace) -> None:
    """Write the files and print their names."""
    from escala.media.repack import Choice, split_render
    from escala.media.sources import find_render

    source = find_render(options.source)
    options.out.mkdir(parents=True, exist_ok=True)
    choice = Choice(tuple(options.only), tuple(options.drop), dict(options.rename))
    for path in split_render(source, options.out, choice):
        print(path)


def run_gather(options: argparse.Namespace) -> None:
    """Write a file for each frame and print its name."""
    from escala.media.repack import Choice, gather_frame
    from escala.media.sources import find_render

    source = find_render(options.source)
    if options.out.suffix.lower() != ".exr":
        raise BadSource(f"{options.out}: passes are gathered into an EXR file")
    if not options.out.parent.is_dir():
        raise UnreadableFile(options.out, "its folder does not exist")
    choice = Choice(tuple(options.only), tuple(options.drop), dict(options.rename))
    for number, files in source.frames.items():
        path = frame_path(options.out, number, len(source.frames) > 1)
        gather_frame(files, path, choice)
        print(path)


def frame_path(out: Path, number: int, several: bool) -> Path:
    """The file of a frame: #### or %04d in the name is replaced, else the number is put before the extension."""
    name = re.sub(r"#+", lambda match: f"{number:0{len(match.group())}d}", out.name)
    name = re.sub(r"%0?(\d*)d", lambda match: f"{number:0{int(match.group(1) or 1)}d}", name)
    if name == out.name and several:
        name = f"{out.stem}.{number:04d}{out.suffix}"
    return out.with_name(name)


def _renaming(text: str) -> tuple[str, str]:
    old, mark, new = text.partition("=")
    if not mark or not old or not new:
        raise argparse.ArgumentTypeError(f"{text!r} is not OLD=NEW, as in lg_key=key")
    return old, new

"""Options that several commands share, and what is read from their words."""

import argparse
import re
from typing import Any

Pair = tuple[str, Any]


def add_fit(command: argparse.ArgumentParser) -> None:
    """The option to bring files of other sizes to that of the first."""
    command.add_argument("--fit", action="store_true", help="resize files to match the first")


def add_colour(command: argparse.ArgumentParser) -> None:
    """How the render is read: config, input and working space."""
    command.add_argument("--ocio", help="OpenColorIO config file, or a built-in ocio:// name")
    command.add_argument("--input-space", help="colour space of the source; default: by file metadata")
    command.add_argument("--working-space", help="colour space in which light is combined")


def add_choice(command: argparse.ArgumentParser) -> None:
    """Which passes are taken, and their new names."""
    command.add_argument("--pass", dest="only", action="append", default=[], metavar="NAME", help="use only this pass")
    command.add_argument("--drop", action="append", default=[], metavar="NAME", help="exclude this pass")
    command.add_argument("--rename", action="append", default=[], type=renaming, metavar="OLD=NEW")


def renaming(text: str) -> tuple[str, str]:
    """`OLD=NEW`."""
    old, mark, new = text.partition("=")
    if not mark or not old or not new:
        raise argparse.ArgumentTypeError(f"{text!r} is not OLD=NEW, as in lg_key=key")
    return old, new


def name_and_stops(text: str) -> Pair:
    """`NAME=STOPS`."""
    name, mark, value = text.rpartition("=")
    try:
        if not mark or not name:
            raise ValueError
        stops = float(value)
    except ValueError:
        raise argparse.ArgumentTypeError(f"{text!r} is not NAME=STOPS, as in key=-1.5") from None
    if not -16 <= stops <= 16:
        raise argparse.ArgumentTypeError(f"{text!r}: stops run from -16 to 16")
    return name, stops


def variable(text: str) -> tuple[str, str]:
    """`NAME=VALUE`."""
    name, mark, value = text.partition("=")
    if not mark or not name:
        raise argparse.ArgumentTypeError(f"{text!r} is not NAME=VALUE, as in SHOT=quay_010")
    return name, value


def render_and_source(text: str) -> Pair:
    """`NAME=SOURCE`."""
    name, mark, source = text.partition("=")
    if not mark or not name or not source:
        raise argparse.ArgumentTypeError(f"{text!r} is not NAME=SOURCE, as in ropes=ropes.####.exr")
    return name, source


def name_and_tint(text: str) -> Pair:
    """`NAME=R,G,B`."""
    name, mark, value = text.rpartition("=")
    try:
        red, green, blue = (float(part) for part in value.split(","))
        if not mark or not name:
            raise ValueError
    except ValueError:
        raise argparse.ArgumentTypeError(f"{text!r} is not NAME=R,G,B, as in key=1,0.8,0.6") from None
    return name, (red, green, blue)


def positive(text: str) -> int:
    """A whole number from 1 to 1024."""
    if not text.isdecimal() or not 1 <= int(text) <= 1024:
        raise argparse.ArgumentTypeError(f"{text!r} is not a number from 1 to 1024")
    return int(text)


def frame_range(text: str) -> tuple[int, int]:
    """`A-B`, or one frame."""
    match = re.fullmatch(r"(\d+)(?:-(\d+))?", text)
    if not match or int(match[2] or match[1]) < int(match[1]):
        raise argparse.ArgumentTypeError(f"{text!r} is not a range of frames, as in 1-24")
    return int(match[1]), int(match[2] or match[1])

"""`escala sheet`: levels and tints of all lights as a table, to set the lights in the scene."""

import argparse
from pathlib import Path
from typing import Any

from .arguments import add_colour, add_fit, frame_range


def add_commands(commands: Any) -> None:
    """Register the command."""
    sheet = commands.add_parser("sheet", help="write levels and tints of all lights as CSV, JSON or USD")
    sheet.add_argument("source", nargs="+", metavar="SOURCE")
    sheet.add_argument("--variant", type=Path, required=True, metavar="F.json")
    sheet.add_argument("--out", type=Path, required=True, metavar="F.csv|F.json|F.usda")
    sheet.add_argument("--space", help="colour space of the effective gains; default: the working space")
    sheet.add_argument("--frames", type=frame_range, metavar="A-B", help="frames of a sequence; default: all")
    sheet.add_argument("--scene", type=Path, metavar="SCENE.usd", help="scene whose lights a USD sheet changes")
    sheet.add_argument(
        "--map", type=Path, metavar="F.csv", help="lines light,prim for lights that are named differently"
    )
    add_colour(sheet)
    add_fit(sheet)
    sheet.set_defaults(run=run_sheet)


def run_sheet(options: argparse.Namespace) -> None:
    """Write the rows of all lights."""
    from .levelling import write_sheet

    write_sheet(options)

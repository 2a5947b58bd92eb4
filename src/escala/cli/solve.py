"""`escala solve`: levels that bring the sum of lights nearest to a reference picture."""

import argparse
from pathlib import Path
from typing import Any

from .arguments import add_colour, add_fit, frame_range


def add_commands(commands: Any) -> None:
    """Register the command."""
    solve = commands.add_parser("solve", help="solve levels from a reference picture")
    solve.add_argument("source", nargs="+", metavar="SOURCE")
    solve.add_argument("--reference", type=Path, required=True, metavar="FILE", help="what the picture shall look like")
    solve.add_argument("--reference-space", metavar="S", help="its colour space; default: by file metadata")
    solve.add_argument("--variant", type=Path, metavar="F.json", help="variant whose locked lights keep their level")
    solve.add_argument("--lock", action="append", default=[], metavar="NAME", help="keep the level of this light")
    solve.add_argument("--tints", action="store_true", help="solve tints beside levels")
    solve.add_argument("--cells", action="store_true", help="solve light × component instead of lights")
    solve.add_argument("--frames", type=frame_range, metavar="A-B", help="the first of these frames is solved")
    solve.add_argument("--out", type=Path, metavar="F.json", help="write a variant with the levels")
    solve.add_argument("--json", action="store_true", help="print JSON")
    add_colour(solve)
    add_fit(solve)
    solve.set_defaults(run=run_solve)


def run_solve(options: argparse.Namespace) -> None:
    """Solve, print the levels and the fit."""
    from .levelling import solve_reference

    solve_reference(options)

"""`escala rebuild`: the recipe, and the proof of it."""

import argparse
from pathlib import Path
from typing import Any

from .arguments import add_fit


def add_commands(commands: Any) -> None:
    """Register the command."""
    rebuild = commands.add_parser("rebuild", help="find the recipe and verify that the passes rebuild the beauty")
    rebuild.add_argument("source", nargs="+", metavar="SOURCE")
    rebuild.add_argument("--json", action="store_true", help="print JSON")
    rebuild.add_argument("--out", type=Path, metavar="FILE.exr", help="write the rebuilt sum")
    add_fit(rebuild)
    rebuild.set_defaults(run=run_rebuild)


def run_rebuild(options: argparse.Namespace) -> None:
    """Print the recipe and its proof."""
    from escala.delivery.opening import read_once
    from escala.model.strict_json import to_json

    from .guard import decoder
    from .rebuilding import format_rebuild, rebuild_report, write_sum

    with read_once(options.source, options.fit, decoder()) as (render, frame):
        if options.out:
            write_sum(render, frame, options.out)
        report = rebuild_report(render, frame)
        print(to_json(report, indent=2) if options.json else format_rebuild(render, report))

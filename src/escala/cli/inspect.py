"""`escala inspect`: what a render's passes are, and what is wrong with them."""

import argparse
from typing import Any

from .arguments import add_fit


def add_commands(commands: Any) -> None:
    """Register the command."""
    inspect = commands.add_parser("inspect", help="list passes, roles and findings")
    inspect.add_argument("source", nargs="+", metavar="SOURCE")
    inspect.add_argument("--json", action="store_true", help="print JSON")
    add_fit(inspect)
    inspect.set_defaults(run=run_inspect)


def run_inspect(options: argparse.Namespace) -> None:
    """Print passes with roles and findings."""
    from escala.delivery.opening import read_once
    from escala.model.strict_json import to_json

    from .guard import decoder
    from .inspection import format_inspection, inspection

    with read_once(options.source, options.fit, decoder()) as (render, _):
        print(to_json(inspection(render), indent=2) if options.json else format_inspection(render))

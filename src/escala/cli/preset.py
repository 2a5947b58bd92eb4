"""`escala preset`: a balance preset applied to a variant, with a report."""

import argparse
from pathlib import Path
from typing import Any

from .arguments import add_fit


def add_commands(commands: Any) -> None:
    """Register the command."""
    preset = commands.add_parser("preset", help="apply a balance preset to a variant")
    preset.add_argument("source", nargs="+", metavar="SOURCE")
    preset.add_argument("--apply", type=Path, required=True, metavar="F.json", help="the balance preset")
    preset.add_argument("--variant", type=Path, metavar="F.json", help="variant to apply it to; default: a neutral one")
    preset.add_argument("--out", type=Path, required=True, metavar="F.json")
    add_fit(preset)
    preset.set_defaults(run=run_preset)


def run_preset(options: argparse.Namespace) -> None:
    """Write the variant, and print the report as JSON."""
    from .levelling import write_preset

    write_preset(options)

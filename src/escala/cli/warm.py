"""`escala warm`: compile all kernels, so that the first start is as quick as the second."""

import argparse
from typing import Any


def add_commands(commands: Any) -> None:
    """Register the command."""
    warm = commands.add_parser("warm", help="compile all kernels once, into the package or the user's cache folder")
    warm.set_defaults(run=run_warm)


def run_warm(options: argparse.Namespace) -> None:
    """Compile every kernel by a tour of all stations; those that are compiled already cost nothing."""
    from escala.compile_kernels import main

    main()
    print("All kernels are compiled.")

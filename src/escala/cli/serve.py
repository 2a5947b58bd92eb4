"""`escala serve` and `escala demo`."""

import argparse
from pathlib import Path
from typing import Any

from escala.core.errors import BadSource


def add_commands(commands: Any) -> None:
    """Register both commands."""
    for name, summary in (("demo", "start with the demo shot"), ("serve", "start the application")):
        command = commands.add_parser(name, help=summary)
        command.add_argument("--port", type=int, default=8320, help="default: 8320")
        command.add_argument("--host", default="127.0.0.1", help="an address other than loopback requires the token")
        command.add_argument("--home", type=Path, help="data folder")
        command.add_argument(
            "--media",
            type=Path,
            action="append",
            default=[],
            metavar="DIR",
            help="media root: a folder to open renders from",
        )
        command.set_defaults(run=run_server, demo=name == "demo")


def run_server(options: argparse.Namespace) -> None:
    """Serve until stopped."""
    from escala.web.server import serve
    from escala.web.settings import Settings, default_home

    for folder in options.media:
        if not folder.is_dir():
            raise BadSource(f"{folder}: no such folder")
    home = (options.home or default_home()).resolve()
    roots = tuple(folder.resolve() for folder in options.media)
    serve(Settings(home, roots, options.host, options.port), options.demo)

"""Escala from a terminal. What it prints and takes is kept stable: pipelines call it."""

import argparse
import sys
from collections.abc import Callable, Sequence
from typing import NoReturn

from escala.core.errors import EscalaError

from . import cli_bench, cli_files, cli_passes, cli_render, cli_serve, cli_stage

Command = Callable[[argparse.Namespace], None]


class OneLineParser(argparse.ArgumentParser):
    """An argument parser whose errors take one line."""

    def error(self, message: str) -> NoReturn:
        self.exit(2, f"escala: {' '.join(message.split())}\n")


def build_parser() -> argparse.ArgumentParser:
    """All commands and their options."""
    parser = OneLineParser(prog="escala", description="Rebuild a render from its passes, rebalance it, deliver it.")
    commands = parser.add_subparsers(dest="command", required=True, metavar="COMMAND", parser_class=OneLineParser)
    for module in (cli_serve, cli_passes, cli_render, cli_files, cli_stage, cli_bench):
        module.add_commands(commands)
    return parser


def main(arguments: Sequence[str] | None = None) -> None:
    """Run one command; exit 2 with one line for bad usage or bad input, never a traceback."""
    options = build_parser().parse_args(arguments)
    run: Command = options.run
    try:
        run(options)
    except EscalaError as error:
        _fail(str(error))
    except BrokenPipeError:
        sys.exit(0)
    except KeyboardInterrupt:
        _fail("stopped")
    except (OSError, MemoryError) as error:
        _fail(f"{getattr(error, 'filename', None) or 'the machine'}: {getattr(error, 'strerror', None) or error}")


def _fail(message: str) -> NoReturn:
    print(f"escala: {' '.join(message.split())}", file=sys.stderr)
    sys.exit(2)


if __name__ == "__main__":
    main()

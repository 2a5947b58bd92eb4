"""Escala from a terminal, one module a command. What it prints and takes is kept stable: pipelines call it.

The modules of the commands hold their options alone; what does the work is imported when it is called.
"""

import argparse
import gc
import sys
import warnings
from collections.abc import Callable, Sequence
from typing import NoReturn

from escala.core.errors import EscalaError
from escala.environment import prepare_environment

from . import (
    bench,
    breakdown,
    check,
    denoise,
    gather,
    inspect,
    matte,
    notes,
    preset,
    rebuild,
    render,
    serve,
    sheet,
    solve,
    split,
    stage,
    warm,
)
from .guard import guarded

Command = Callable[[argparse.Namespace], None]
_MANY_OBJECTS = 100_000


class OneLineParser(argparse.ArgumentParser):
    """An argument parser whose errors take one line."""

    def error(self, message: str) -> NoReturn:
        self.exit(2, f"escala: {' '.join(message.split())}\n")


def build_parser() -> argparse.ArgumentParser:
    """All commands and their options."""
    parser = OneLineParser(prog="escala", description="Rebuild a render from its passes, rebalance it, export it.")
    commands = parser.add_subparsers(dest="command", required=True, metavar="COMMAND", parser_class=OneLineParser)
    for module in (
        serve,
        inspect,
        rebuild,
        render,
        check,
        matte,
        solve,
        sheet,
        preset,
        breakdown,
        split,
        gather,
        denoise,
        stage,
        notes,
        warm,
        bench,
    ):
        module.add_commands(commands)
    return parser


def main(arguments: Sequence[str] | None = None) -> None:
    """Run one command; exit 2 with one line for bad usage or bad input, never a traceback.

    Without `arguments` those of the terminal are taken; a command that reads files then runs under a guard.
    """
    prepare_environment()
    options = build_parser().parse_args(arguments)
    run: Command = options.run
    reads_files = getattr(options, "source", None)
    if arguments is None and reads_files:
        # What is imported stays: to look it through for rubbish takes a tenth of a short command's time.
        gc.set_threshold(_MANY_OBJECTS)
        guarded(
            lambda: _run(run, options),
            lambda how: _fail(
                f"{reads_files[0]}: decoding failed (decoder crashed, {how}). The file is probably damaged."
            ),
        )
    else:
        _run(run, options)


def _run(run: Command, options: argparse.Namespace) -> None:
    # Light may be infinite or no number at all: what is computed on it says so, and never by a line on the terminal.
    warnings.filterwarnings("ignore", category=RuntimeWarning)
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

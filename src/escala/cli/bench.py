"""`escala bench`."""

import argparse
from typing import Any


def add_commands(commands: Any) -> None:
    """Register the command."""
    bench = commands.add_parser("bench", help="run benchmarks and compare with their targets")
    bench.add_argument("name", nargs="*", metavar="NAME", help="benchmarks to run; default: all")
    bench.add_argument("--json", action="store_true", help="print JSON")
    bench.set_defaults(run=run_bench)


def run_bench(options: argparse.Namespace) -> None:
    """Measure and print."""
    from escala.bench.run import run_benchmarks
    from escala.model.strict_json import to_json

    figures = {}
    for name, figure in run_benchmarks(options.name):
        figures[name] = figure.facts()
        if not options.json:
            verdict = "reached" if figure.ok else "missed"
            measured = f"{figure.value:9.3f} {figure.unit:5} yardstick {figure.yardstick:5.0f} ms"
            print(f"{name:8} {measured} ratio {figure.ratio:6.2f}  {verdict}: {figure.target}")
    if options.json:
        print(to_json(figures, indent=2))

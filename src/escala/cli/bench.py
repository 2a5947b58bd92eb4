"""`escala bench`."""

import argparse
from dataclasses import asdict
from typing import Any


def add_commands(commands: Any) -> None:
    """Register the command."""
    bench = commands.add_parser("bench", help="run benchmarks and compare with their targets")
    bench.add_argument(
        "name", nargs="*", metavar="NAME", help="benchmarks to run, or series with --scale; default: all"
    )
    bench.add_argument("--scale", action="store_true", help="how costs grow with passes, pixels, frames and the rest")
    bench.add_argument("--json", action="store_true", help="print JSON")
    bench.set_defaults(run=run_bench)


def run_bench(options: argparse.Namespace) -> None:
    """Measure and print."""
    from escala.model.strict_json import to_json

    facts = (_run_scale if options.scale else _run_rows)(options)
    if options.json:
        print(to_json(facts, indent=2))


def _run_rows(options: argparse.Namespace) -> dict[str, Any]:
    from escala.bench.run import run_benchmarks

    figures = {}
    for name, figure in run_benchmarks(options.name):
        figures[name] = figure.facts()
        if not options.json:
            verdict = "reached" if figure.ok else "missed"
            measured = f"{figure.value:9.3f} {figure.unit:5} yardstick {figure.yardstick:5.0f} ms"
            print(f"{name:8} {measured} ratio {figure.ratio:6.2f}  {verdict}: {figure.target}")
    return figures


def _run_scale(options: argparse.Namespace) -> dict[str, Any]:
    from escala.bench.scale import growth, run_scale

    found = {}
    for name, costs in run_scale(options.name):
        powers = growth(costs)
        found[name] = {"costs": {number: asdict(cost) for number, cost in costs.items()}, "growth": powers}
        if options.json:
            continue
        print(f"{name:>12}  import s   edit ms   exact s  export s  memory MiB")
        for number, cost in costs.items():
            print(
                f"{number:12} {cost.import_s:9.2f} {cost.edit_ms:9.1f} {cost.exact_s:9.2f} {cost.export_s:9.2f} "
                f"{cost.memory_mib:11.0f}"
            )
        print(f"{'power':>12} " + " ".join(f"{power:9.2f}" for power in powers.values()), flush=True)
    return found

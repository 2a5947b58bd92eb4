"""`escala check`: a variant against its contract and a render, before anything is made of it."""

import argparse
from pathlib import Path
from typing import Any

from .arguments import add_fit, render_and_source


def add_commands(commands: Any) -> None:
    """Register the command."""
    check = commands.add_parser("check", help="check a variant: unresolved names, missing files")
    check.add_argument("document", type=Path, metavar="FILE.json")
    check.add_argument("source", nargs="*", metavar="SOURCE", help="render to check it against")
    check.add_argument("--json", action="store_true", help="print JSON")
    check.add_argument(
        "--render", action="append", default=[], type=render_and_source, metavar="NAME=SOURCE", dest="renders",
        help="a further render that layers of the plate show; once per file of it",
    )  # fmt: skip
    add_fit(check)
    check.set_defaults(run=run_check)


def run_check(options: argparse.Namespace) -> None:
    """Print what waits and what is missing; both are no mistakes. A document that is none exits with 2."""
    from dataclasses import asdict

    from escala.delivery.documents import kind_of, read_variant
    from escala.delivery.opening import SHOT, opened_render
    from escala.engine.checking import missing_files, waiting_names
    from escala.engine.worker import LONG
    from escala.model.strict_json import to_json

    from .guard import decoder
    from .rendering import further_renders

    kind = kind_of(options.document)
    if kind != "variant":
        return _check_balance(options) if kind == "balance" else _check_delivery(options)
    variant = read_variant(options.document)
    waiting = []
    if options.source:
        with opened_render(options.source, options.fit, decoder()) as (evaluator_pool, render):
            read = evaluator_pool.interpretation_of(SHOT, render, variant)
            evaluator = evaluator_pool.engine_for(SHOT, render)
            renders = further_renders(evaluator_pool, render, options.renders)
            waiting = evaluator_pool.evaluate(lambda: waiting_names(read, variant, evaluator, renders), LONG)
    missing = missing_files(variant)
    if options.json:
        facts = {"kind": "variant", "waiting": [asdict(found) for found in waiting], "missing_files": missing}
        print(to_json(facts, indent=2))
        return
    lines = [f"{found.place}: unresolved, the render has no {found.name}" for found in waiting]
    lines += [f"{path}: missing" for path in missing]
    print("\n".join(lines) or f"{options.document}: a variant, nothing unresolved and nothing missing")


def _check_balance(options: argparse.Namespace) -> None:
    """As `run_check`, for a balance preset: names that a render does not have."""
    from escala.delivery.documents import read_preset
    from escala.delivery.opening import SHOT, opened_render
    from escala.engine.balance.plan import level_names
    from escala.model.balance_preset import apply_preset
    from escala.model.strict_json import to_json
    from escala.model.variant import Variant

    from .guard import decoder

    preset, waiting = read_preset(options.document), []
    apply_preset(Variant(), preset, {"lights": (), "components": (), "cells": ()})
    if options.source:
        with opened_render(options.source, options.fit, decoder()) as (evaluator_pool, render):
            names = level_names(evaluator_pool.interpretation_of(SHOT, render, Variant()))
        for table, known in names.items():
            waiting += [{"place": table, "name": name} for name in getattr(preset, table) if name not in known]
    if options.json:
        print(to_json({"kind": "balance", "waiting": waiting, "missing_files": []}, indent=2))
        return
    lines = [f"{found['place']}: unresolved, the render has no {found['name']}" for found in waiting]
    print("\n".join(lines) or f"{options.document}: a balance preset, nothing unresolved")


def _check_delivery(options: argparse.Namespace) -> None:
    """As `run_check`, for a delivery preset: names, spaces and views that a render and its colour config lack."""
    from escala.delivery.checking import waiting_of_preset
    from escala.delivery.documents import read_delivery_preset
    from escala.delivery.opening import SHOT, opened_render
    from escala.engine.colour.pipeline import resolve_colour
    from escala.model.strict_json import to_json
    from escala.model.variant import Variant

    from .guard import decoder

    preset, waiting = read_delivery_preset(options.document), list[dict[str, str]]()
    if options.source:
        with opened_render(options.source, options.fit, decoder()) as (evaluator_pool, render):
            read = evaluator_pool.interpretation_of(SHOT, render, Variant())
            found = waiting_of_preset(preset, read, resolve_colour(read, Variant()))
            waiting = [{"place": place, "name": name} for place, name in found]
    if options.json:
        print(to_json({"kind": "delivery", "waiting": waiting, "missing_files": []}, indent=2))
        return
    lines = [f"{found['place']}: unresolved, there is no {found['name']}" for found in waiting]
    print("\n".join(lines) or f"{options.document}: a delivery preset, nothing unresolved")

"""`escala breakdown`: the image built up term by term, then station by station."""

import argparse
from pathlib import Path
from typing import Any

from .arguments import add_colour, add_fit, frame_range, render_and_source


def add_commands(commands: Any) -> None:
    """Register the command."""
    breakdown = commands.add_parser("breakdown", help="write the image term by term: stills, a sheet, or a video")
    breakdown.add_argument("source", nargs="+", metavar="SOURCE")
    breakdown.add_argument("--variant", type=Path, metavar="F.json")
    breakdown.add_argument("--out", type=Path, required=True, metavar="DIR|F.png|F.mkv",
        help="folder of stills, one sheet (.png, .tif, .jpg), or a video (.mkv, .mp4, .webm)")  # fmt: skip
    breakdown.add_argument("--display", help="display; default: that of the variant")
    breakdown.add_argument("--view", help="view; default: that of the variant")
    breakdown.add_argument("--frames", type=frame_range, metavar="A", help="frame; default: the first")
    breakdown.add_argument(
        "--render", action="append", default=[], type=render_and_source, metavar="NAME=SOURCE", dest="renders",
        help="a further render that layers of the plate show; once per file of it",
    )  # fmt: skip
    add_colour(breakdown)
    add_fit(breakdown)
    breakdown.set_defaults(run=run_breakdown)


def run_breakdown(options: argparse.Namespace) -> None:
    """Write the steps and print the files."""
    from escala.delivery.adjustments import Adjustments, adjusted
    from escala.delivery.breakdown import write_breakdown
    from escala.delivery.documents import read_variant
    from escala.delivery.opening import SHOT, opened_render
    from escala.delivery.order import Order
    from escala.model.variant import Variant

    from .guard import decoder
    from .rendering import frames_of, further_renders, report_unresolved

    with opened_render(options.source, options.fit, decoder()) as (evaluator_pool, render):
        further = further_renders(evaluator_pool, render, options.renders)
        variant = read_variant(options.variant) if options.variant else Variant()
        given = Adjustments(ocio=options.ocio, input_space=options.input_space, working_space=options.working_space)
        variant = adjusted(evaluator_pool.interpretation_of(SHOT, render, variant), variant, given)
        report_unresolved(evaluator_pool, render, variant, {name for name, _ in options.renders})
        frame = frames_of(render, options.frames)[0]
        order = Order(SHOT, render, variant, (frame,), (), evaluator_pool.place, further)
        for path in write_breakdown(evaluator_pool, order, options.out, options.display, options.view):
            print(path)

"""`escala stage`: the stand-in renderer from a terminal."""

import argparse
import os
import re
import sys
import time
from pathlib import Path
from typing import Any

from escala.core.errors import BadSource, EscalaError


def add_commands(commands: Any) -> None:
    """Register the command."""
    stage = commands.add_parser("stage", help="render the demo scene with the stand-in renderer")
    stage.add_argument("--size", type=_size, default=(960, 540), metavar="WxH")
    stage.add_argument("--samples", type=_positive, default=20, metavar="N", help="samples per pixel")
    stage.add_argument("--frames", type=_frames, default=(12, 12), metavar="A-B")
    stage.add_argument("--seed", type=int, default=1)
    stage.add_argument("--noisy", action="store_true", help="do not denoise")
    stage.add_argument("--aperture", type=_distance, default=0.0, metavar="METRES", help="aperture radius; 0: pinhole")
    stage.add_argument("--focus", type=_distance, default=1.0, metavar="METRES", help="focus distance")
    stage.add_argument("--shutter", type=_distance, default=0.0, metavar="FRAMES", help="shutter time, in frames")
    words = "ropes and gulls near the camera: render the quay without them, them alone, or all together"
    stage.add_argument("--layer", choices=("quay", "near", "together"), default="", help=words)
    words = "USD layer laid over the scene's lights, as `escala sheet --out F.usda` writes it"
    stage.add_argument("--lights", type=Path, metavar="F.usda", help=words)
    stage.add_argument("--for", type=int, dest="parent", metavar="PID", help="stop when this parent process ends")
    stage.add_argument("--out", type=Path, required=True, metavar="DIR")
    stage.set_defaults(run=run_stage)


_NAMES = {"": "night_quay", "quay": "night_quay", "near": "ropes_and_gulls", "together": "night_quay"}


def run_stage(options: argparse.Namespace) -> None:
    """Render frames into a folder, with a progress bar on a terminal."""
    from escala.media.usd_lights import NoUsd, read_lights
    from escala.stage.quay import Lens
    from escala.stage.render import StageJob, render_frame, write_lights_of

    if options.focus <= 0:
        raise BadSource("--focus is a distance in front of the camera, more than 0")

    options.out.mkdir(parents=True, exist_ok=True)
    width, height = options.size
    lens = Lens(options.aperture, options.focus)
    if options.lights is not None:
        read_lights(options.lights)  # what does not open is refused before anything is rendered
    job = StageJob(
        width, height, options.samples, options.seed, not options.noisy, lens, options.shutter, options.layer,
        options.lights,
    )  # fmt: skip
    frames = range(options.frames[0], options.frames[1] + 1)
    try:
        write_lights_of(job, frames, options.out / "lights.usda")
    except NoUsd as error:
        print(f"lights.usda is not written: {error}", file=sys.stderr)
    for frame in frames:
        path = options.out / f"{_NAMES[options.layer]}.{frame:04d}.exr"
        bar = _ProgressBar(path.name)

        def show(done: int, wanted: int, bar: _ProgressBar = bar) -> None:
            if options.parent and os.getppid() != options.parent:
                raise EscalaError("the parent process ended")
            bar.show(done, wanted)

        render_frame(job, frame, path, show)
        print(path)


class _ProgressBar:
    """One line on standard error that is written over, only where somebody watches."""

    def __init__(self, name: str) -> None:
        self._name = name
        self._start = time.monotonic()

    def show(self, done: int, wanted: int) -> None:
        if not sys.stderr.isatty():
            return
        left = (time.monotonic() - self._start) / done * (wanted - done)
        filled = 30 * done // wanted
        end = "\n" if done == wanted else ""
        bar = "=" * filled + " " * (30 - filled)
        print(f"\r{self._name} [{bar}] {done}/{wanted} samples, {left:4.0f} s left", end=end, file=sys.stderr)


def _size(text: str) -> tuple[int, int]:
    match = re.fullmatch(r"(\d+)x(\d+)", text)
    if not match or not (16 <= int(match[1]) <= 8192 and 16 <= int(match[2]) <= 8192):
        raise argparse.ArgumentTypeError(f"{text!r} is not a size from 16x16 to 8192x8192, as in 960x540")
    return int(match[1]), int(match[2])


def _distance(text: str) -> float:
    try:
        value = float(text)
    except ValueError:
        value = -1.0
    if not 0 <= value <= 1000:
        raise argparse.ArgumentTypeError(f"{text!r} is not a number from 0 to 1000")
    return value


def _positive(text: str) -> int:
    if not text.isdigit() or not 1 <= int(text) <= 65536:
        raise argparse.ArgumentTypeError(f"{text!r} is not a number of samples from 1 to 65536")
    return int(text)


def _frames(text: str) -> tuple[int, int]:
    match = re.fullmatch(r"(\d+)(?:-(\d+))?", text)
    if not match or int(match[2] or match[1]) < int(match[1]):
        raise argparse.ArgumentTypeError(f"{text!r} is not a range of frames, as in 1-24")
    return int(match[1]), int(match[2] or match[1])

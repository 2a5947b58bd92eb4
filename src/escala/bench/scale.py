"""How import, edit, exact image, export and memory grow with passes, pixels, frames, mattes, corrections and values."""

import math
import multiprocessing
import tempfile
from collections.abc import Iterator, Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import asdict, dataclass, replace
from pathlib import Path
from typing import Any

import numpy as np
import psutil

from escala.core.errors import choose
from escala.delivery.frames import deliver_frames
from escala.engine.colour.refining import REFINER
from escala.engine.evaluator_pool import EvaluatorPool
from escala.engine.request import Quality
from escala.engine.viewer.screen import screen_picture
from escala.engine.viewer.subject import Subject
from escala.engine.viewer.viewport import fit_viewport, full_viewport
from escala.model.variant import Variant

from .deliver import order_of_result
from .figures import once, write_big_shot

_STORE_BYTES = 64 * 2**30
_EDITS, _WARM = 24, 4
_SHOWN = (1280, 720)


@dataclass(frozen=True)
class Size:
    """How much there is of everything."""

    passes: int = 16
    width: int = 1920
    height: int = 1080
    frames: int = 1
    mattes: int = 0
    corrections: int = 0
    values: int = 0


@dataclass(frozen=True)
class Cost:
    """What a size costs: seconds to import, ms of an edit (median), seconds of an exact image and an export, MiB."""

    import_s: float
    edit_ms: float
    exact_s: float
    export_s: float
    memory_mib: float


_SMALL = Size(passes=4, width=480, height=270)
_STACK = Size(corrections=40)
# What grows, with its numbers and the size of each.
SERIES: dict[str, dict[int, Size]] = {
    "passes": {count: Size(passes=count) for count in (8, 16, 32, 64, 128)},
    "megapixels": {
        round(width * height / 1e6): Size(passes=6, width=width, height=height)
        for width, height in ((1920, 1080), (3840, 2160), (7680, 4320))
    },
    "frames": {count: replace(_SMALL, frames=count) for count in (1, 20, 200, 2000)},
    "mattes": {count: Size(mattes=count) for count in (1, 4, 16, 64)},
    "corrections": {count: Size(corrections=count) for count in (1, 10, 40)},
    "values": {count: replace(_STACK, values=count) for count in (1, 20, 40)},
}


def run_scale(names: Sequence[str]) -> Iterator[tuple[str, dict[int, Cost]]]:
    """Each series with its costs; all when `names` is empty. Each size is measured in a process of its own."""
    for name in names:
        choose("series", name, SERIES)
    for name in names or SERIES:
        found = {}
        for number, size in SERIES[name].items():
            context = multiprocessing.get_context("spawn")
            with ProcessPoolExecutor(1, context) as pool:
                found[number] = pool.submit(measure, size).result()
        yield name, found


def growth(costs: dict[int, Cost]) -> dict[str, float]:
    """By which power of the number each cost grows, between the last two: 0 does not grow, 1 is linear."""
    (few, first), (many, last) = list(costs.items())[-2:]
    pairs = ((key, value, asdict(last)[key]) for key, value in asdict(first).items())
    return {key: math.log(after / before) / math.log(many / few) for key, before, after in pairs}


def measure(size: Size) -> Cost:
    """Write a shot of a size, and work with it."""
    with tempfile.TemporaryDirectory(prefix="escala-bench-") as name:
        folder = Path(name)
        write_big_shot(folder / "shot.0001.exr", size.width, size.height, size.passes - 1)
        for number in range(2, size.frames + 1):
            (folder / f"shot.{number:04d}.exr").hardlink_to(folder / "shot.0001.exr")
        source = folder / ("shot.####.exr" if size.frames > 1 else "shot.0001.exr")
        with EvaluatorPool(folder / "store", _STORE_BYTES) as pool:
            imported = once(lambda: pool.read([source]))
            render, _ = pool.read([source])
            evaluator = pool.engine_for(0, render)
            viewport = fit_viewport(0, 0, size.width, size.height, *_SHOWN)

            def edit(step: int) -> None:
                edited = _variant(size, step).settled(evaluator.time(_variant(size, step)))
                screen_picture(Subject(evaluator, edited, viewer="bench"), viewport, Quality.PREVIEW)

            for step in range(_WARM):
                edit(step)
            REFINER.wait()
            edits = [once(lambda s=step: edit(s)) for step in range(_WARM, _WARM + _EDITS)]  # type: ignore[misc]
            memory = psutil.Process().memory_info().rss / 2**20
            variant = _variant(size, 1)
            whole = full_viewport(0, 0, size.width, size.height)
            exact = once(lambda: screen_picture(Subject(evaluator, variant), whole, Quality.EXACT))
        with EvaluatorPool(folder / "store", _STORE_BYTES) as fresh:  # decoded already, nothing else cached
            order = order_of_result(render, variant, folder, fresh, frames=(1,))
            exported = once(lambda: list(deliver_frames(fresh, order)))
    return Cost(imported, float(np.median(edits)) * 1000, exact, exported, memory)


def _variant(size: Size, step: int) -> Variant:
    """A light on its way, corrections with and without mattes, and values that move."""
    mattes = {
        f"m{index}": {
            "kind": "ellipse",
            "centre": [size.width * (0.2 + 0.6 * index / max(1, size.mattes)), size.height / 2],
            "radii": [size.width / 6, size.height / 4],
            "feather_px": 40,
        }
        for index in range(size.mattes)
    }
    limited: list[dict[str, Any]] = [{"kind": "exposure", "stops": 0.1, "matte": name} for name in mattes]
    plain = [{"kind": "contrast", "amount": 1 + index % 5 / 500} for index in range(size.corrections)]
    curves = {
        f"finish/corrections/{index}/amount": {"kind": "ramp", "from": 1, "to": 1.01, "start": 1, "end": 10}
        for index in range(size.values)
    }
    levels = {"l01": {"stops": step % 40 / 10 - 2}}
    finish = {"corrections": [*plain, *limited]}
    return Variant.model_validate({"balance": {"lights": levels}, "mattes": mattes, "finish": finish, "curves": curves})

"""One figure of a benchmark, and the shot that several of them need."""

import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import numpy as np

from escala.core.planes import Matte, Planes, narrow_to_half
from escala.media.exr import write_exr
from escala.media.windows import Window

# What the yardstick takes where the targets hold.
YARDSTICK_SECONDS = 0.1


@dataclass(frozen=True)
class Figure:
    """What was measured, its ratio to the target, and whether that is reached.

    `limit`: the target of a time, in `unit`, where the yardstick takes `YARDSTICK_SECONDS`; None for figures that are
    ratios already. `yardstick`: what it took around the measurement, in ms.
    """

    value: float
    unit: str
    ratio: float
    target: str
    ok: bool
    limit: float | None = None
    yardstick: float = float("nan")

    def facts(self) -> dict[str, Any]:
        """Plain values for JSON."""
        return {
            "value": self.value, "unit": self.unit, "ratio": self.ratio, "target": self.target, "ok": self.ok,
            "yardstick_ms": self.yardstick,
        }  # fmt: skip

    def judged(self, yardstick: float) -> "Figure":
        """The figure with its limit scaled by the time of the yardstick, in seconds."""
        if self.limit is None:
            return replace(self, yardstick=yardstick * 1000)
        ratio = self.value / (self.limit * yardstick / YARDSTICK_SECONDS)
        return replace(self, ratio=ratio, ok=self.ok and ratio <= 1, yardstick=yardstick * 1000)


def unmeasured(error: Exception) -> Figure:
    """The figure of what could not be measured, with the reason."""
    return Figure(float("nan"), "", float("nan"), f"not measured: {error}", False)


def seconds(work: Callable[[], object], repeats: int = 5) -> float:
    """The median time of some work, after one run that warms it."""
    work()
    return float(np.median([once(work) for _ in range(repeats)]))


def in_turns(works: Sequence[Callable[[], object]], repeats: int = 9) -> list[float]:
    """The median time of each of some works that take turns, so that a machine that changes its speed favours none."""
    for work in works:
        work()
    times = [[once(work) for work in works] for _ in range(repeats)]
    return [float(median) for median in np.median(times, axis=0)]


def once(work: Callable[[], object]) -> float:
    """The time of one run."""
    start = time.perf_counter()
    work()
    return time.perf_counter() - start


def made_up_light(index: int, height: int, width: int) -> Planes:
    """A smooth picture of light with a bright spot and some grain, as renders have it; (3, H, W)."""
    rng = np.random.default_rng(index)
    y, x = np.mgrid[0:height, 0:width].astype(np.float32)
    centre = rng.random(2) * (height, width)
    spot = np.exp(-((y - centre[0]) ** 2 + (x - centre[1]) ** 2) / (0.02 * height * width)).astype(np.float32)
    grain = rng.random((height, width), np.float32) * np.float32(0.02)
    colour = rng.random(3).astype(np.float32) + np.float32(0.1)
    return np.asarray(colour[:, None, None] * (4 * spot + grain), np.float32)


def write_big_shot(path: Path, width: int, height: int, lights: int, alpha: Matte | None = None, seed: int = 0) -> None:
    """A half-float EXR of `lights` lights and their sum, all multiplied by its alpha where one is given.

    `seed`: another one gives other lights.
    """
    total = np.zeros((3, height, width), np.float32)
    channels = {}
    for index in range(lights):
        planes = made_up_light(index + seed * lights, height, width)
        planes = planes if alpha is None else np.asarray(planes * alpha)
        total += planes
        channels |= {f"lg_l{index:02d}.{letter}": narrow_to_half(p) for letter, p in zip("RGB", planes, strict=True)}
    channels |= {letter: narrow_to_half(plane) for letter, plane in zip("RGB", total, strict=True)}
    if alpha is not None:
        channels["A"] = narrow_to_half(alpha)
    write_exr(path, channels, Window(0, 0, width, height), Window(0, 0, width, height))

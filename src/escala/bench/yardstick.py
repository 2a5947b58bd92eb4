"""The yardstick: a fixed piece of work by other libraries, by which times on machines of any speed are judged."""

import time
from collections.abc import Callable

import cv2
import numpy as np

from .figures import Figure

_REPEATS = 3
# A figure during which the yardstick changed by more is measured again, so many times at most.
_STEADY, _ATTEMPTS = 0.15, 3


def yardstick() -> float:
    """Seconds of the work: blurs, sums and a JPEG of made-up light; the least of some runs."""
    rng = np.random.default_rng(1)
    light = rng.random((720, 1280, 3), np.float32)
    planes = light.transpose(2, 0, 1).copy()
    return min(_once(light, planes) for _ in range(_REPEATS))


def _once(light: np.ndarray, planes: np.ndarray) -> float:
    began = time.perf_counter()
    blurred = cv2.GaussianBlur(light, (0, 0), 4.0)
    total = np.zeros_like(planes)
    for step in range(12):
        total += np.float32(1 + step / 10) * planes
    shown = np.rint(np.clip(blurred, 0, 1) * 255).astype(np.uint8)
    cv2.imencode(".jpg", shown)
    np.power(total, np.float32(1 / 2.4), out=total)
    return time.perf_counter() - began


def steadily(measure: Callable[[], Figure]) -> Figure:
    """A figure between two runs of the yardstick, measured again while the machine changes its speed."""
    for attempt in range(_ATTEMPTS):
        before = yardstick()
        figure = measure()
        after = yardstick()
        if abs(after - before) <= _STEADY * min(before, after) or attempt == _ATTEMPTS - 1:
            break
    return figure.judged((before + after) / 2)

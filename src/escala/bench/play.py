"""`play`: a sequence played in a real browser while levels move over time."""

import shutil
import tempfile
import time
from pathlib import Path
from typing import Any

import numpy as np

from escala.core.errors import BadSource
from escala.stage.render import StageJob, render_frame

from .browser import Page, page_of
from .drag import enter_shot
from .figures import Figure, write_big_shot
from .server import call, open_shot, served

_SIZE, _LIGHTS, _FRAMES, _RATE = (960, 540), 15, 48, 24  # with the beauty 16 passes
_PATIENCE_SECONDS = 60.0
_CURVES: dict[str, dict[str, Any]] = {
    "l00": {"kind": "pulse", "low": -4, "high": 1, "period": 24, "duty": 0.5, "soft": 3},
    "l01": {"kind": "flicker", "amount": 0.5, "rate": 8, "smooth": 1, "seed": 1},
    "l02": {"kind": "sweep", "amount": 1, "period": 48},
    "l03": {"kind": "ramp", "from": -2, "to": 2, "start": 1, "end": 48},
}
# Frames of the demo's second shot, with all its passes: how noisy they are makes no difference.
_STAGE, _STAGE_FRAMES, _FIRST_RATE = StageJob(384, 216, 1), 12, 8
_STAGE_CURVES: dict[str, dict[str, Any]] = {
    "beacon": {"kind": "pulse", "low": -4, "high": 1, "period": 12, "duty": 0.5}
}
_SHOWN = "performance.getEntriesByName('frame shown').map((m) => m.startTime)"


def bench_play() -> Figure:
    """The share of frames shown on time in the second loop, of passes of noise.

    Beside it the rate of the first loop, of frames of the stand-in renderer that were never opened.
    """
    with tempfile.TemporaryDirectory(prefix="escala-bench-") as name:
        noise, stage = Path(name).resolve() / "noise", Path(name).resolve() / "stage"
        noise.mkdir()
        for number in range(1, _FRAMES + 1):
            write_big_shot(noise / f"cg.{number:04d}.exr", *_SIZE, _LIGHTS, seed=number % 4)
        stage.mkdir()
        rendered = stage / "cg.0001.exr"
        render_frame(_STAGE, 12, rendered)
        for number in range(2, _STAGE_FRAMES + 1):
            shutil.copy(rendered, stage / f"cg.{number:04d}.exr")
        first = _rate(_shown(stage, _STAGE_CURVES, _STAGE_FRAMES))
        shown = _shown(noise, _CURVES, 2 * _FRAMES)
    share = on_time(shown[_FRAMES:], _RATE)
    target = (
        f"≥ 0.98 of the frames on time at {_RATE} a second; first loop of the demo's arrival ≥ {_FIRST_RATE} a second "
        f"(here {first:.1f}; of noise {_rate(shown[:_FRAMES]):.1f})"
    )
    return Figure(share, "", share / 0.98, target, share >= 0.98 and first >= _FIRST_RATE)


def _shown(folder: Path, curves: dict[str, dict[str, Any]], count: int) -> np.ndarray[Any, Any]:
    """When each of so many frames was shown, in s, of a sequence that plays while levels move."""
    with served(folder) as address, page_of() as page:
        shot = open_shot(address, folder / "cg.####.exr")
        variant = call(f"{address}/api/shots/{shot}")["variants"][0]["id"]
        _move_levels(address, variant, curves)
        enter_shot(page, address)
        page.click(".strip button", "Play")
        return np.array(_played(page, count)) / 1000


def _rate(shown: np.ndarray[Any, Any]) -> float:
    """Frames a second, of frames shown at these times."""
    return float((shown.size - 1) / (shown[-1] - shown[0]))


def on_time(shown: np.ndarray[Any, Any], rate: float) -> float:
    """The share of frames that were shown before the next one was due; `shown`: seconds."""
    due = shown[0] + np.arange(shown.size) / rate
    return float(np.mean(shown - due < 1 / rate))


def _played(page: Page, count: int) -> list[float]:
    """When each of so many frames was shown, in ms. Raises `BadSource` when they do not come."""
    deadline = time.monotonic() + _PATIENCE_SECONDS
    while len(shown := list(page.evaluate(_SHOWN))) < count:
        if time.monotonic() > deadline:
            raise BadSource(f"only {len(shown)} of {count} frames were shown")
        time.sleep(0.5)
    return shown[:count]


def _move_levels(address: str, variant: int, curves: dict[str, dict[str, Any]]) -> None:
    of_lights = {f"balance/lights/{light}/stops": curve for light, curve in curves.items()}
    patch = [
        {"op": "add", "path": "/balance/lights", "value": {light: {} for light in curves}},
        {"op": "add", "path": "/curves", "value": of_lights},
    ]
    base = call(f"{address}/api/variants/{variant}")["head"]
    call(f"{address}/api/variants/{variant}/edits", {"base": base, "patch": patch, "label": "levels over time"})

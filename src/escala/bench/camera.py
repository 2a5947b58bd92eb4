"""`defocus`, `motion`, `glow`, `lens`, `settle`: a camera at 1280 × 720, being dragged, settled at 4K."""

import tempfile
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from escala.core.depth.defocus import blur_radius, defocus
from escala.core.depth.motion import motion_blur, shutter_times
from escala.core.depth.preview import motion_blur_coarsely
from escala.core.lens.glow import SIZES, glow
from escala.core.planes import Planes, narrow_to_half
from escala.engine.colour.refining import REFINER
from escala.engine.evaluator import Evaluator
from escala.engine.evaluator_pool import EvaluatorPool
from escala.engine.request import Quality
from escala.engine.viewer.screen import screen_picture
from escala.engine.viewer.subject import Subject
from escala.engine.viewer.viewport import fit_viewport, full_viewport
from escala.media.exr import write_exr
from escala.media.windows import Window
from escala.model.strict_json import to_json
from escala.model.variant import Variant

from .figures import Figure, in_turns, made_up_light, once, seconds

_STORE_BYTES, _EDITS = 16 * 2**30, 24
_FOCUS, _APERTURE, _WIDEST = 8.0, 90.0, 16.0
_GLOW = 64.0

DEPTH: dict[str, Any] = {
    "haze": {"on": True, "density": 0.02, "start": 6},
    "defocus": {"on": True, "focus": _FOCUS, "aperture": 3 * _APERTURE, "limit_px": 48},
    "motion": {"on": True, "shutter": 0.5},
}
LENS: dict[str, Any] = {
    "distortion": {"on": True, "k1": -0.05},
    "aberration": {"on": True, "shift_px": 2},
    "glow": {"on": True, "threshold": 2},
    "glare": {"on": True},
    "vignette": {"on": True},
    "grain": {"on": True},
}


def _scene(width: int, height: int) -> tuple[Planes, Planes, Planes]:
    """Light, depth and vectors: ground that recedes, a far wall, three things before it, lamps; one thing moves."""
    light = sum(made_up_light(i, height, width) for i in range(4))
    rng = np.random.default_rng(5)
    for y, x in zip(rng.integers(0, height - 4, 40), rng.integers(0, width - 4, 40), strict=True):
        light[:, y : y + 3, x : x + 3] = 30
    y = np.arange(height, dtype=np.float32)[:, None] / height + np.zeros((1, width), np.float32)
    depth = np.where(y > 0.5, 3.5 + (1 - y) * 50, 40).astype(np.float32)
    vectors = np.zeros((2, height, width), np.float32)
    for left, top, right, bottom, distance in (
        (0.15, 0.2, 0.33, 0.8, 8),
        (0.6, 0.4, 0.75, 0.97, 4),
        (0.4, 0, 0.42, 0.9, 3),
    ):
        place = slice(int(top * height), int(bottom * height)), slice(int(left * width), int(right * width))
        depth[place] = distance
        if distance == 4:
            vectors[(slice(None), *place)] = np.array([32.0, 6.0], np.float32)[:, None, None] * width / 1280
    return np.asarray(light, np.float32), depth, vectors


def _disc(radius: int) -> NDArray[np.float32]:
    y, x = np.mgrid[-radius : radius + 1, -radius : radius + 1]
    inside = (x * x + y * y <= radius * radius).astype(np.float32)
    return np.asarray(inside / inside.sum())


def write_camera_frame(path: Path, width: int, height: int) -> None:
    """A file with the scene's light, depth and vectors."""
    light, depth, vectors = _scene(width, height)
    channels = {letter: narrow_to_half(plane) for letter, plane in zip("RGB", light, strict=True)}
    channels |= {"depth.Z": depth, "motion.X": vectors[0], "motion.Y": vectors[1]}
    window = Window(0, 0, width, height)
    write_exr(path, channels, window, window)


class CameraShot:
    """A shot with depth and vectors, decoded once."""

    def __init__(self, width: int, height: int) -> None:
        self._folder = tempfile.TemporaryDirectory(prefix="escala-bench-")
        folder = Path(self._folder.name)
        write_camera_frame(folder / "camera.exr", width, height)
        self._store = folder / "store"
        self.render, _ = EvaluatorPool(self._store, _STORE_BYTES).read([folder / "camera.exr"])

    def evaluator(self) -> Evaluator:
        """A fresh evaluator, from a fresh evaluator pool."""
        return EvaluatorPool(self._store, _STORE_BYTES).engine_for(0, self.render)

    def dragged(self, documents: list[dict[str, Any]]) -> float:
        """The p95 of the server's time, in seconds, from a document to an encoded 1280 × 720 picture."""
        evaluator, render = self.evaluator(), self.render
        viewport = fit_viewport(0, 0, render.width, render.height, 1280, 720).on_grid(render.width, render.height)
        times = []
        for document in documents:
            subject = Subject(evaluator, Variant.model_validate_json(to_json(document)), viewer="bench")
            times.append(once(lambda s=subject: screen_picture(s, viewport, Quality.PREVIEW)))  # type: ignore[misc]
            REFINER.wait()
        return float(np.percentile(times[4:], 95))

    def close(self) -> None:
        """Delete the files."""
        self._folder.cleanup()


def bench_defocus() -> Figure:
    """Pulling focus, radius up to 16 px; and one exact image against the same disc everywhere by a plain filter."""
    light, depth, _ = _scene(1280, 720)
    radius = blur_radius(depth, _FOCUS, _APERTURE, _WIDEST)
    packed, disc = np.ascontiguousarray(light.transpose(1, 2, 0)), _disc(int(_WIDEST))
    exact, plain = in_turns([lambda: defocus(light, None, radius), lambda: cv2.filter2D(packed, -1, disc)], 5)
    ratio = exact / plain
    shot = CameraShot(1280, 720)
    lens = {"on": True, "aperture": _APERTURE, "limit_px": _WIDEST}
    moves = [{"depth": {"defocus": lens | {"focus": _FOCUS + 0.1 * (i % 10)}}} for i in range(_EDITS)]
    dragged = shot.dragged(moves)
    shot.close()
    target = f"drag p95 ≤ 100 ms, exact ≤ 3 × filter2D (here {ratio:.2f})"
    return Figure(dragged * 1000, "ms", ratio, target, bool(ratio <= 3), limit=100)


def bench_motion() -> Figure:
    """Motion blur of a 1280 × 720 picture, vectors up to 32 px, shutter half open: exact, and being dragged."""
    light, depth, vectors = _scene(1280, 720)
    taken = seconds(lambda: motion_blur(light, None, vectors, depth, shutter_times(0.5, 0.0)))
    fast = seconds(lambda: motion_blur_coarsely(light, None, vectors, depth, shutter_times(0.5, 0.0)))
    target = f"≤ 120 ms (here {fast * 1000:.0f} ms while dragging)"
    return Figure(taken * 1000, "ms", taken / 0.12, target, True, limit=120)


def bench_glow() -> Figure:
    """Five Gaussians against five plain ones of the same sizes."""
    light, _, _ = _scene(1280, 720)
    packed = np.ascontiguousarray(light.transpose(1, 2, 0))

    def plain() -> None:
        for i in range(SIZES):
            cv2.GaussianBlur(packed, (0, 0), _GLOW / 2**i)

    ours, theirs = in_turns([lambda: glow(light, _GLOW), plain], 3)
    return Figure(ours * 1000, "ms", ours / theirs, "≤ 0.5 of plain blurs", ours / theirs <= 0.5)


def bench_lens(shot: CameraShot) -> Figure:
    """All effects of the lens on, the vignette dragged; a 4K shot at proxy."""
    moves = [{"lens": LENS | {"vignette": {"on": True, "stops": -1 - 0.02 * i}}} for i in range(_EDITS)]
    dragged = shot.dragged(moves)
    return Figure(dragged * 1000, "ms", dragged / 0.05, "p95 ≤ 50 ms of server time", True, limit=50)


def bench_settle(shot: CameraShot) -> Figure:
    """A whole 4K picture with all of Depth and Lens, exact, under the exact view."""
    variant = Variant.model_validate_json(to_json({"depth": DEPTH, "lens": LENS}))
    evaluator = shot.evaluator()
    whole = full_viewport(0, 0, shot.render.width, shot.render.height)
    request = evaluator.make_request(variant, whole, Quality.EXPORT)
    colour_pipeline, light = request.colour_pipeline, evaluator.at("lens", request)
    taken = seconds(lambda: evaluator.shown(request), 2)
    view = seconds(lambda: colour_pipeline.config.display(light, colour_pipeline.working.name, colour_pipeline.view), 2)
    return Figure(taken, "s", taken / 5, f"≤ 5 s (here {view:.1f} s of it the exact view)", True, limit=5)

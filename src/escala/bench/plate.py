"""`plate`: one light of a 4K render dragged in a real browser, over a still plate of 6K with three corrections."""

import tempfile
from pathlib import Path

import numpy as np

from escala.core.planes import Matte, narrow_to_half
from escala.media.exr import write_exr
from escala.media.windows import Window

from .browser import page_of
from .drag import dragged, enter_shot
from .figures import Figure, made_up_light, write_big_shot
from .server import call, open_shot, served

_SIZE, _PLATE_SIZE, _LIGHTS = (3840, 2160), (6144, 3160), 8
_CORRECTIONS = [
    {"kind": "exposure", "stops": -0.5},
    {"kind": "white_balance", "kelvin": 5200},
    {"kind": "contrast", "amount": 1.1},
]


def bench_plate() -> Figure:
    """The p95 from the pointer's event to the painted pixels."""
    with tempfile.TemporaryDirectory(prefix="escala-bench-") as name:
        folder = Path(name).resolve()
        write_big_shot(folder / "cg.exr", *_SIZE, _LIGHTS, _cover(*_SIZE))
        width, height = _PLATE_SIZE
        planes = {letter: narrow_to_half(p) for letter, p in zip("RGB", made_up_light(3, height, width), strict=True)}
        write_exr(folder / "plate.exr", planes, Window(0, 0, width, height), Window(0, 0, width, height))
        with served(folder) as address, page_of() as page:
            variant = call(f"{address}/api/shots/{open_shot(address, folder / 'cg.exr')}")["variants"][0]["id"]
            _lay_plate(address, variant, str(folder / "plate.exr"))
            enter_shot(page, address)
            left, top, wide, high = page.box(".board .tile, .board .head-cell")
            p95 = dragged(page, left + wide / 2, top + high / 2)
    return Figure(p95, "ms", p95 / 60, "p95 ≤ 60 ms from pointer to paint", True, limit=60)


def _lay_plate(address: str, variant: int, path: str) -> None:
    layer = {"kind": "picture", "path": path, "corrections": _CORRECTIONS}
    patch = [{"op": "add", "path": "/plate/layers", "value": [layer, {"kind": "cg"}]}]
    base = call(f"{address}/api/variants/{variant}")["head"]
    call(f"{address}/api/variants/{variant}/edits", {"base": base, "patch": patch, "label": "a plate"})


def _cover(width: int, height: int) -> Matte:
    """An alpha with soft and with half-covered pixels."""
    y, x = (np.arange(height) / height)[:, None], (np.arange(width) / width)[None]
    return np.clip(8 * (0.35 - np.hypot(x - 0.5, (y - 0.5) * height / width)) + 0.5, 0, 1).astype(np.float32)

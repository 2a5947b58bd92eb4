"""`mix` and `view`: the balance sum against the machine's memory, the baked view against the exact processor."""

import numba
import numpy as np
from numpy.typing import NDArray

from escala.core.balance.mixing import mix_planes
from escala.core.colour.baked_view import BakedView
from escala.core.colour.config import ColourConfig
from escala.media.configs import colour_config

from .figures import Figure, in_turns, made_up_light, seconds

_PASSES = 16


@numba.njit(nogil=True, parallel=True, cache=True, fastmath=True, error_model="numpy")
def _read_all(values, sums):  # type: ignore[no-untyped-def]
    """Read every value once; sums in any order, so that the widest loads are used and memory is the only limit."""
    step = values.size // sums.size
    for job in numba.prange(sums.size):
        block = values[job * step : (job + 1) * step]
        total = np.float32(0.0)
        for i in range(block.size):
            total += block[i]
        sums[job] = total


def bench_mix() -> Figure:
    """Bytes of passes read per second in the balance sum, over what the machine can read at all."""
    rng = np.random.default_rng(0)
    passes = [rng.random((3, 1080, 1920), np.float32) for _ in range(_PASSES)]
    gains = rng.random((_PASSES, 3)).astype(np.float32)
    out = np.empty_like(passes[0])
    size = sum(planes.nbytes for planes in passes)
    everything = np.concatenate([planes.ravel() for planes in passes])
    sums = np.zeros(64, np.float32)
    works = (lambda: mix_planes(passes, gains, out=out)), (lambda: _read_all(everything, sums))
    mixed, read = in_turns(works)
    return Figure(size / mixed / 1e9, "GB/s", read / mixed, "≥ 0.85 of read bandwidth", read / mixed >= 0.85)


def bench_view() -> Figure:
    """How much faster the baked view is than the exact processor, one thread each; and how far off."""
    config = colour_config("ACES 2")
    planes = sum(made_up_light(i, 720, 1280) for i in range(5))
    scene = config.convert(planes, "Linear Rec.709 (sRGB)", "ACEScg")
    packed = np.ascontiguousarray(scene.transpose(1, 2, 0))
    view = BakedView(config, "ACEScg", config.default_view)
    view.refine()
    threads = numba.get_num_threads()
    numba.set_num_threads(1)
    try:
        exact = seconds(lambda: config.display_packed(packed, "ACEScg", config.default_view), 3)
        baked = seconds(lambda: view.to_bytes(scene), 5)
    finally:
        numba.set_num_threads(threads)
    # Beside the picture, colours of any hue, saturation and brightness: the view bends at the edge of the gamut.
    rng = np.random.default_rng(1)
    any_colour = (2.0 ** rng.uniform(-9, 7, (1, 400_000, 3)) * rng.random((1, 400_000, 3)) ** 3).astype(np.float32)
    errors = [_error(config, view, packed), _error(config, view, any_colour)]
    largest, mean = (max(error.max() for error in errors), max(error.mean() for error in errors))
    beyond = np.mean(errors[1] > 2)
    ratio = exact / baked
    ok = ratio >= 20 and largest <= 2 and mean <= 0.35
    target = f"≥ 20, error ≤ 2 and ≤ 0.35 of 255 (here {largest:.0f}, {beyond:.3%} of any colours over 2, {mean:.2f})"
    return Figure(baked * 1000, "ms", ratio, target, bool(ok))


def _error(config: ColourConfig, view: BakedView, packed: NDArray[np.float32]) -> NDArray[np.float64]:
    """How far the baked view is from the exact one on pixels (H, W, 3), in bytes."""
    expected = np.rint(np.clip(config.display_packed(packed, "ACEScg", config.default_view), 0, 1) * 255)
    return np.abs(view.to_bytes(np.ascontiguousarray(packed.transpose(2, 0, 1))) - expected)

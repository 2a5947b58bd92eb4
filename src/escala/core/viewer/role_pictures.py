"""How a pass of each role is shown: data made visible by its own range, as display-ready pictures 0..1."""

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from ..planes import Planes, as_planes
from ..roles import Role

_TINY = np.float32(1e-12)


def show_data(role: Role, planes: Planes) -> Planes:
    """A data pass as a picture: (3, H, W), display-encoded, 0..1. `planes` is (C, H, W) as stored."""
    vector = role in (Role.NORMAL, Role.POSITION) and planes.shape[0] < 3
    return (_show_range if vector else ROLE_PICTURES.get(role, _show_range))(planes)


def _show_depth(planes: Planes) -> Planes:
    """Near is light, far is dark; the range of the middle 98 %, backgrounds (0, 1e9 and more, infinite) black."""
    depth = as_planes(planes[0])
    known = np.isfinite(depth) & (depth > 0) & (depth < 1e9)
    if not known.any():
        return np.zeros((3, *depth.shape), np.float32)
    near, far = np.percentile(depth[known], (1, 99))
    nearness = 1 - (np.log(np.maximum(depth, _TINY)) - np.log(near)) / max(np.log(far) - np.log(near), 1e-6)
    return _grey(np.where(known, 0.08 + 0.92 * np.clip(nearness, 0, 1), 0.0))


def _show_normal(planes: Planes) -> Planes:
    """Each axis from -1..1 to 0..1; where there is no normal, black."""
    vector = _known(planes[:3])
    there = np.abs(vector).sum(axis=0) > 1e-3
    return as_planes(np.where(there, np.clip(vector * 0.5 + 0.5, 0, 1), 0.0))


def _show_position(planes: Planes) -> Planes:
    """Each axis over the range of its middle 96 %."""
    return np.stack([_stretch(axis) for axis in as_planes(planes[:3])])


def _show_uv(planes: Planes) -> Planes:
    """U as red, V as green, whole tiles folded to 0..1."""
    u, v = _known(planes[0]), _known(planes[min(1, len(planes) - 1)])
    return as_planes(np.stack([np.mod(u, 1.0), np.mod(v, 1.0), np.zeros_like(u)]))


def _show_motion(planes: Planes) -> Planes:
    """Direction as hue, speed as brightness, against the fastest 2 %."""
    x, y = _known(planes[0]), _known(planes[min(1, len(planes) - 1)])
    speed = np.hypot(x, y)
    top = max(float(np.percentile(speed, 98)), 1e-6)
    return _hue(np.arctan2(y, x) / (2 * np.pi), np.clip(speed / top, 0, 1))


def _show_ids(planes: Planes) -> Planes:
    """A stable colour for each id: hue from a hash of the bits."""
    bits = np.ascontiguousarray(planes[0]).view(np.uint32)
    mixed = (bits * np.uint32(2654435761)) >> np.uint32(8)
    hue = (mixed & np.uint32(0xFFFF)).astype(np.float32) / np.float32(65536)
    value = 0.45 + 0.5 * ((mixed >> np.uint32(16)) & np.uint32(0xFF)).astype(np.float32) / np.float32(255)
    return _hue(hue, np.where(bits == 0, np.float32(0), value)) * np.float32(0.85)


def _show_amount(planes: Planes) -> Planes:
    """Masks, shadow, alpha: the value itself."""
    if planes.shape[0] >= 3:
        return as_planes(np.clip(np.nan_to_num(planes[:3]), 0, 1))
    return _grey(np.clip(np.nan_to_num(as_planes(planes[0])), 0, 1))


def _show_range(planes: Planes) -> Planes:
    """Anything else: up to three channels, each over its own range."""
    chosen = planes[:3] if planes.shape[0] >= 3 else np.repeat(planes[:1], 3, axis=0)
    return np.stack([_stretch(as_planes(axis)) for axis in chosen])


ROLE_PICTURES: dict[Role, Callable[[Planes], Planes]] = {
    Role.ALPHA: _show_amount,
    Role.SHADOW: _show_amount,
    Role.OCCLUSION: _show_amount,
    Role.MASK: _show_amount,
    Role.DEPTH: _show_depth,
    Role.NORMAL: _show_normal,
    Role.POSITION: _show_position,
    Role.UV: _show_uv,
    Role.MOTION: _show_motion,
    Role.ID: _show_ids,
    Role.CRYPTOMATTE: _show_ids,
}


def _known(values: Planes) -> Planes:
    """The values with 0 for what is no number."""
    return np.nan_to_num(as_planes(values), nan=0.0, posinf=0.0, neginf=0.0)


def _grey(values: NDArray[np.floating]) -> Planes:
    return as_planes(np.repeat(np.asarray(values, np.float32)[None], 3, axis=0))


def _stretch(axis: Planes) -> Planes:
    known = axis[np.isfinite(axis) & (np.abs(axis) < 1e9)]
    if not known.size:
        return np.zeros_like(axis)
    low, high = np.percentile(known, (2, 98))
    return as_planes(np.clip((_known(axis) - low) / max(high - low, 1e-9), 0, 1))


def _hue(turn: NDArray[np.floating], value: NDArray[np.floating]) -> Planes:
    """A colour of full saturation 0.75 from its hue in turns and its value."""
    offsets = np.array([0.0, 2 / 3, 1 / 3], np.float32)[:, None, None]
    wave = np.clip(np.abs(np.mod(turn + offsets, 1.0) * 6 - 3) - 1, 0, 1)
    return as_planes((0.25 + 0.75 * wave) * value)

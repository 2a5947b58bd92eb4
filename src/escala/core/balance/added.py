"""Light made from passes: what a light that was not rendered brings to surfaces, from normals and places.

The diffuse part is `albedo / π · colour · E`; the specular part a lobe of the microfacet model of Walter et al. (2007):
GGX's distribution with α = roughness², Smith's height-correlated visibility (Heitz 2014), and Schlick's Fresnel term
with 0.04 at normal incidence.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ..errors import ShapeError
from ..kernels import kernel, prange
from ..planes import Planes, as_planes

_SIDE, _POINT, _RIM = 0, 1, 2
Place = Sequence[float]


@dataclass(frozen=True)
class SideGeometry:
    """Light from one direction, far away; `direction` leads towards it."""

    direction: Place


@dataclass(frozen=True)
class PointGeometry:
    """Light from a place in the scene, by the inverse square of the distance: 1 at `radius`."""

    position: Place
    radius: float


@dataclass(frozen=True)
class RimGeometry:
    """Light along outlines: `(1 - |n · v|)` to the power of `edge`; it has no direction, and no lobe."""

    edge: float


Geometry = SideGeometry | PointGeometry | RimGeometry


@dataclass(frozen=True)
class Viewpoint:
    """Where surfaces are seen from: `place` of the camera where places are known, else `axis`, which leads to it."""

    place: Place | None
    axis: Place


def light_on_surfaces(
    geometry: Geometry, normals: Planes, places: Planes | None, seen_from: Viewpoint, roughness: float
) -> tuple[Planes, Planes]:
    """What falls on each pixel, E, and the specular lobe with it, D · V · F · E; (H, W) both, float32.

    `normals`: (3, H, W), of any length; where one is 0 nothing falls. `places`: (3, H, W) in scene units. A point needs
    them, and the lobe of a light is seen from `seen_from.place` where they are there. `roughness`: 0..1.
    """
    directions = _writable(normals)
    points = np.zeros((3, 1, 1), np.float32) if places is None else _writable(places)
    if places is not None and points.shape != directions.shape:
        raise ShapeError(f"places of shape {points.shape} do not fit normals of {directions.shape}")
    kind, vector, size = _numbers(geometry)
    if kind == _POINT and places is None:
        raise ShapeError("a point light needs the places of the surfaces")
    is_placed = places is not None and seen_from.place is not None
    eye = np.array(seen_from.place if is_placed else seen_from.axis, np.float64)
    alpha = max(float(roughness) ** 2, _SMOOTHEST)
    falls, lobe = (np.empty(directions.shape[1:], np.float32) for _ in range(2))
    _light(directions, points, kind, vector, size, eye, is_placed, alpha, falls, lobe)
    return falls, lobe


# A mirror would show a point as nothing, or as infinitely bright.
_SMOOTHEST = 1e-4


def _writable(planes: Planes) -> Planes:
    """Planes that the loop takes: it is compiled for copies, not for maps of files."""
    return np.require(planes, np.float32, ["C", "W"])


def _numbers(geometry: Geometry) -> tuple[int, np.ndarray[tuple[int], np.dtype[np.float64]], float]:
    if isinstance(geometry, SideGeometry):
        vector = np.array(geometry.direction, np.float64)
        return _SIDE, vector / np.linalg.norm(vector), 0.0
    if isinstance(geometry, PointGeometry):
        return _POINT, np.array(geometry.position, np.float64), float(geometry.radius)
    return _RIM, np.zeros(3), float(geometry.edge)


@kernel
def _light(normals, places, kind, vector, size, eye, is_placed, alpha, falls, lobe):  # type: ignore[no-untyped-def]
    height, width = falls.shape
    for line in prange(height):
        row = np.int64(line)
        for x in range(width):
            falls[row, x], lobe[row, x] = 0.0, 0.0
            nx, ny, nz = float(normals[0, row, x]), float(normals[1, row, x]), float(normals[2, row, x])
            length = np.sqrt(nx * nx + ny * ny + nz * nz)
            if not (length > 0 and np.isfinite(length)):
                continue
            nx, ny, nz = nx / length, ny / length, nz / length
            vx, vy, vz = eye[0], eye[1], eye[2]
            px, py, pz = 0.0, 0.0, 0.0
            if places.shape[1] == height and places.shape[2] == width:
                px, py, pz = float(places[0, row, x]), float(places[1, row, x]), float(places[2, row, x])
            if is_placed:
                vx, vy, vz = vx - px, vy - py, vz - pz
            length = np.sqrt(vx * vx + vy * vy + vz * vz)
            if not (length > 0 and np.isfinite(length)):
                continue
            vx, vy, vz = vx / length, vy / length, vz / length
            facing = nx * vx + ny * vy + nz * vz
            if kind == _RIM:
                falls[row, x] = max(0.0, 1.0 - abs(facing)) ** size
                continue
            lx, ly, lz, share = vector[0], vector[1], vector[2], 1.0
            if kind == _POINT:
                lx, ly, lz = lx - px, ly - py, lz - pz
                square = lx * lx + ly * ly + lz * lz
                if not (square > 0 and np.isfinite(square)):
                    continue
                share, length = size * size / square, np.sqrt(square)
                lx, ly, lz = lx / length, ly / length, lz / length
            lit = nx * lx + ny * ly + nz * lz
            if lit <= 0:
                continue
            falls[row, x] = lit * share
            if facing <= 0:
                continue
            hx, hy, hz = lx + vx, ly + vy, lz + vz
            length = np.sqrt(hx * hx + hy * hy + hz * hz)
            if length <= 0:
                continue
            half, seen = (nx * hx + ny * hy + nz * hz) / length, (vx * hx + vy * hy + vz * hz) / length
            square = alpha * alpha
            spread = half * half * (square - 1.0) + 1.0
            distribution = square / (np.pi * spread * spread)
            masked = lit * np.sqrt(facing * facing * (1.0 - square) + square)
            shadowed = facing * np.sqrt(lit * lit * (1.0 - square) + square)
            fresnel = 0.04 + 0.96 * max(0.0, 1.0 - seen) ** 5
            lobe[row, x] = distribution * 0.5 / (masked + shadowed) * fresnel * lit * share


def contribution(albedo: Planes, falls: Planes, lobe: Planes, specular: float) -> Planes:
    """`albedo / π · E + specular · lobe`, (3, H, W): what a white light brings."""
    diffuse = as_planes(albedo)[:3] * (falls * np.float32(1.0 / np.pi))
    return np.asarray(diffuse + np.float32(specular) * lobe if specular else diffuse, np.float32)

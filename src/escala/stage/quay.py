"""The demo scene: a night ferry coming in to a stone quay. All of it is made up."""

import itertools
from dataclasses import dataclass

import numpy as np

from . import scene as s

LIGHTS = ("moon", "quay_lamps", "cabin", "beacon", "sky")
FRAMES_PER_TURN = 48
ARRIVAL_METRES_PER_FRAME = 0.22
STILL_FRAME = 12

_MOON, _LAMPS, _CABIN, _BEACON, _SKY = range(5)
MOON_DIRECTION = np.array([-0.27, 0.235, 1.0]) / np.linalg.norm([-0.27, 0.235, 1.0])


@dataclass(frozen=True)
class Lens:
    """A thin lens: the radius of its aperture in metres, 0 for a pinhole, and the distance in focus."""

    radius: float = 0.0
    focus: float = 1.0


PINHOLE = Lens()


# What of the scene is rendered: all but the near things; the quay with their shadows; they alone; all.
WITHOUT_NEAR, QUAY, NEAR, TOGETHER = "", "quay", "near", "together"
LAYERS = (WITHOUT_NEAR, QUAY, NEAR, TOGETHER)


def quay_scene(
    frame: int, width: int, height: int, lens: Lens = PINHOLE, later: float = 0.0, layer: str = WITHOUT_NEAR
) -> tuple[s.Scene, tuple[str, ...], tuple[str, ...]]:
    """The scene at a frame, with the names of its objects and materials.

    `later`: frames after it; things and camera are where they are then, the beacon points where it did. `layer`: which
    things the camera sees; the others still cast shadows and are reflected.
    """
    build = s.SceneBuilder()
    _materials(build)
    time = frame + later
    ferry = _ferry_place(time)
    _harbour(build)
    _quay(build)
    _cargo(build)
    _sailing_boat(build)
    _ferry(build, ferry, _ferry_place(time + 1) - ferry)
    quay_shapes = len(build.rows)
    if layer != WITHOUT_NEAR:
        _near_things(build, time)
    _sky(build)
    every = len(build.rows)
    seen = {QUAY: (0, quay_shapes), NEAR: (quay_shapes, every)}.get(layer, (0, every))
    turn = 2 * np.pi * (frame - STILL_FRAME) / FRAMES_PER_TURN + np.radians(187.0)
    heading = np.array([np.sin(turn), -0.31, np.cos(turn)])
    aspect = width / height
    scene = build.finish(
        _camera(time, aspect),
        _camera(time + 1, aspect),
        (0.0075, 3.2, 0.9, 0.55),
        heading / np.linalg.norm(heading),
        (lens.radius, lens.focus),
        seen,
    )
    return scene, tuple(build.objects), tuple(build.material_names)


def _camera(frame: float, aspect: float) -> s.Array:
    drift = 0.012 * (frame - STILL_FRAME)
    return s.look_from((0.2 + drift, 2.75, -6.4), (0.75 + 0.6 * drift, 2.55, 12.0), 36.0, aspect)


def world_to_camera(frame: float) -> s.Array:
    """The camera at a frame as EXR files name it: row vectors, x right, y up, z along the view; (4, 4)."""
    eye, *axes = _camera(frame, 1.0).astype(float)
    matrix = np.eye(4)
    matrix[:3, :3] = np.array([axis / np.linalg.norm(axis) for axis in axes]).T
    matrix[3, :3] = -eye @ matrix[:3, :3]
    return matrix.astype(np.float32)


def _ferry_place(frame: float) -> s.Array:
    return np.array([3.2 - ARRIVAL_METRES_PER_FRAME * (STILL_FRAME - frame), 0.0, 27.0], np.float32)


def _materials(build: s.SceneBuilder) -> None:
    add = build.material
    add("water", (0.010, 0.018, 0.022), 0.16, 0.03, texture=s.WATER, bump=0.05)
    add("wet_stone", (0.26, 0.24, 0.22), 0.30, 0.05, texture=s.STONE, bump=0.22)
    add("kerb_stone", (0.34, 0.32, 0.29), 0.42, 0.05, texture=s.STONE, bump=0.12)
    add("iron", (0.06, 0.06, 0.07), 0.38, 0.20)
    add("wood", (0.36, 0.21, 0.10), 0.55, 0.04, texture=s.WOOD)
    add("hull_paint", (0.62, 0.62, 0.60), 0.32, 0.05, texture=s.HULL)
    add("hull_band", (0.62, 0.36, 0.08), 0.32, 0.05, texture=s.HULL)  # follows the paint that it lies on
    add("cabin_paint", (0.70, 0.69, 0.65), 0.42, 0.04)
    add("funnel_paint", (0.55, 0.10, 0.06), 0.40, 0.04)
    add("sail_cloth", (0.72, 0.68, 0.58), 0.80, 0.03, texture=s.SAIL)
    add("rope", (0.42, 0.32, 0.19), 0.85, 0.03, texture=s.ROPE)
    add("glass", (0.90, 0.97, 0.94), 0.02, 0.04, glass=s.GLASS_SOLID)
    add("lantern_glass", (0.98, 0.96, 0.92), 0.02, 0.06, glass=s.GLASS_THIN)
    add("hill", (0.05, 0.06, 0.05), 0.9, 0.02)
    add("lamp", (0.8, 0.8, 0.8), 0.5, 0.04)


def _harbour(build: s.SceneBuilder) -> None:
    build.water("water", "water", 0.0)
    build.ellipsoid("hills", "hill", (-46.0, -2.0, 120.0), (60.0, 10.5, 18.0))
    build.ellipsoid("hills", "hill", (62.0, -2.0, 135.0), (50.0, 8.0, 18.0))
    build.box("mole", "kerb_stone", (-60.0, -1.0, 62.0), (-9.0, 1.5, 65.0))


def _quay(build: s.SceneBuilder) -> None:
    build.box("wet_stones", "wet_stone", (-40.0, -3.0, -30.0), (40.0, 1.0, 3.2))
    build.box("kerb", "kerb_stone", (-40.0, -3.0, 3.2), (40.0, 1.13, 3.75))
    for x in (-1.75, 3.75):
        build.cylinder("bollards", "iron", (x, 1.1, 3.0), (x, 1.62, 3.0), 0.19)
        build.ellipsoid("bollards", "iron", (x, 1.66, 3.0), (0.30, 0.13, 0.30))
    for x, z in ((-3.85, 2.6), (4.85, 2.3)):
        build.cylinder("lamp_posts", "iron", (x, 1.0, z), (x, 4.55, z), 0.065)
        place = [x, 4.72, z, 0.17]
        lamp = build.emitter(s.SPHERE_LIGHT, _LAMPS, np.array((1.0, 0.54, 0.20)) * 700.0, place)
        build.ellipsoid("lamp_globes", "lamp", place[:3], 0.17, emitter=lamp)


def _cargo(build: s.SceneBuilder) -> None:
    build.box("crates", "wood", (2.05, 1.0, 0.55), (3.05, 1.88, 1.5), turn=14.0)
    build.box("crates", "wood", (2.3, 1.88, 0.75), (2.95, 2.46, 1.35), turn=-12.0)
    build.box("crates", "wood", (3.0, 1.0, -0.1), (3.65, 1.6, 0.5), turn=31.0)
    build.cylinder("rope", "rope", (-2.9, 1.0, 1.3), (-2.9, 1.11, 1.3), 0.52)
    build.cylinder("rope", "rope", (-2.88, 1.11, 1.28), (-2.88, 1.22, 1.28), 0.47)
    build.cylinder("rope", "rope", (-2.91, 1.22, 1.31), (-2.91, 1.32, 1.31), 0.41)
    line = [(-1.75, 1.55, 3.0), (-1.4, 1.25, 4.6), (-0.9, 1.05, 7.0), (-0.2, 1.05, 10.0), (0.6, 1.3, 14.0)]
    for start, end in itertools.pairwise(line):
        build.cylinder("rope", "rope", start, end, 0.035)
    build.ellipsoid("glass_float", "glass", (0.75, 1.3, 0.4), 0.3)
    x, z = -0.62, 0.35
    build.cylinder("lantern", "iron", (x, 1.0, z), (x, 1.1, z), 0.17)
    build.ellipsoid("lantern_glass", "lantern_glass", (x, 1.33, z), (0.17, 0.25, 0.17))
    build.cylinder("lantern", "iron", (x, 1.56, z), (x, 1.66, z), 0.13)
    flame = build.emitter(s.SPHERE_LIGHT, _LAMPS, np.array((1.0, 0.5, 0.16)) * 160.0, [x, 1.3, z, 0.05])
    build.ellipsoid("lantern", "lamp", (x, 1.3, z), 0.05, emitter=flame)


def _sailing_boat(build: s.SceneBuilder) -> None:
    sides = [
        (np.array([0.0, 1.0, 0.0]), 0.75),
        (np.array([0.0, -1.0, 0.0]), 0.4),
        (np.array([0.0, -0.45, 1.0]), 12.0),
        (np.array([0.0, -0.45, -1.0]), -9.7),
        (np.array([1.0, -0.6, 0.0]), -3.6),
        (np.array([-1.0, -0.35, 0.0]), 8.0),
    ]
    build.convex("sailing_boat", "hull_paint", sides, (-5.8, 0.2, 10.8), 3.2)
    build.cylinder("sailing_boat", "wood", (-4.9, 0.5, 10.8), (-4.9, 5.6, 10.8), 0.06)
    build.cylinder("sailing_boat", "wood", (-7.4, 1.65, 10.8), (-4.9, 1.5, 10.8), 0.045)
    build.quad("sail", "sail_cloth", (-7.3, 1.75, 10.75), (2.3, -0.1, 0.0), (0.55, 3.3, 0.25))


def _ferry(build: s.SceneBuilder, at: s.Array, shift: s.Array) -> None:
    x, y, z = (float(value) for value in at)
    moving = {"shift": shift}
    hull = [
        (np.array([0.0, 1.0, 0.0]), y + 2.9),
        (np.array([0.0, -1.0, 0.0]), -y + 0.6),
        (np.array([0.0, -0.18, 1.0]), z + 2.6),
        (np.array([0.0, -0.18, -1.0]), -z + 2.6),
        (np.array([1.0, 0.22, 0.0]), x + 10.0),
        (np.array([-1.0, -0.55, 0.9]), -x + 9.0 + 0.9 * z),
        (np.array([-1.0, -0.55, -0.9]), -x + 9.0 - 0.9 * z),
    ]
    build.convex("hull", "hull_paint", hull, (x, y + 1.1, z), 11.5, **moving)
    build.box("cabin", "cabin_paint", (x - 5.2, y + 2.9, z - 2.1), (x + 8.6, y + 5.1, z + 2.1), **moving)
    build.box("cabin", "cabin_paint", (x - 4.2, y + 5.1, z - 1.7), (x + 0.6, y + 7.0, z + 1.7), **moving)
    build.cylinder("funnel", "funnel_paint", (x + 5.0, y + 5.1, z), (x + 5.3, y + 7.6, z), 0.85, **moving)
    build.cylinder("mast", "iron", (x - 2.2, y + 7.0, z), (x - 2.2, y + 9.4, z), 0.10, **moving)
    warm = np.array((1.0, 0.60, 0.26))
    for low, left, width, count, level in ((3.45, -4.6, 12.6, 9.0, 9.0), (5.65, -3.9, 4.2, 4.0, 11.0)):
        front = z - (2.12 if low < 5 else 1.72)
        sides = [x + left, y + low, front, width, 0.95, count]
        emitter = build.emitter(s.WINDOW_LIGHT, _CABIN, warm * level, sides)
        size = (width, 0.0, 0.0), (0.0, 0.95, 0.0)
        build.quad("cabin_windows", "lamp", (x + left, y + low, front), *size, emitter=emitter, **moving)
    top = [x - 2.2, y + 9.6, z, 0.24]
    beacon = build.emitter(s.BEACON_LIGHT, _BEACON, np.array((0.10, 1.0, 0.62)) * 1500.0, top)
    build.ellipsoid("beacon", "lamp", top[:3], 0.24, emitter=beacon, **moving)


# Place, half span of the wings, and heading of each gull.
_GULLS = ((-0.55, 3.6, -1.2, 0.5, 12.0), (1.35, 3.5, 0.6, 0.48, -14.0), (2.75, 2.6, 1.6, 0.26, 65.0))


def _near_things(build: s.SceneBuilder, time: float) -> None:
    """Mooring ropes and gulls between the camera and the quay, some of them behind the crates."""
    build.material("feathers", (0.62, 0.61, 0.60), 0.8, 0.03)
    for start, end, sag in (
        ((-3.3, 4.3, -2.6), (3.75, 1.62, 3.0), 0.9),
        ((3.6, 3.6, -2.8), (-1.75, 1.62, 3.0), 0.75),
    ):
        a, b = np.array(start), np.array(end)
        line = [a + (b - a) * t - np.array((0.0, 4 * sag * t * (1 - t), 0.0)) for t in np.linspace(0, 1, 15)]
        for one, other in itertools.pairwise(line):
            build.cylinder("mooring_ropes", "rope", one, other, 0.05)
    flight = time - STILL_FRAME
    for x, y, z, span, turn in _GULLS:
        shift = np.array((0.03, 0.012, 0.0)) if span > 0.3 else np.zeros(3)
        _gull(build, np.array((x, y, z)) + shift * flight, span, turn, shift)


def _gull(build: s.SceneBuilder, at: s.Array, span: float, turn: float, shift: s.Array) -> None:
    """A body, and two wings that are raised."""
    sine, cosine = np.sin(np.radians(turn)), np.cos(np.radians(turn))
    across, along = np.array((cosine, 0.0, -sine)), np.array((sine, 0.0, cosine))
    more = {"shift": shift}
    build.ellipsoid("gulls", "feathers", at, (0.1, 0.08, 0.17), **more)
    build.ellipsoid("gulls", "feathers", at + 0.17 * along + np.array((0.0, 0.05, 0.0)), 0.055, **more)
    for side in (-1.0, 1.0):
        wing = side * span * across + np.array((0.0, 0.45 * span, 0.0))
        chord = 0.12 * along - np.array((0.0, 0.13, 0.0))
        build.quad("gulls", "feathers", at - 0.5 * chord + side * 0.05 * across, wing, chord, **more)


def _sky(build: s.SceneBuilder) -> None:
    build.emitter(s.MOON_LIGHT, _MOON, np.array((0.72, 0.84, 1.0)) * 260.0, [*MOON_DIRECTION, np.cos(np.radians(1.35))])
    build.emitter(s.SKY_LIGHT, _SKY, (0.045, 0.085, 0.19), [0.09, 0.11, 0.14])

"""A scene as plain arrays that compiled code reads: shapes, materials, lights, camera."""

from dataclasses import dataclass, field
from typing import NamedTuple

import numpy as np
from numpy.typing import ArrayLike, NDArray

PLANE, ELLIPSOID, CONVEX, CYLINDER, QUAD = range(5)
MATTE, GLASS_SOLID, GLASS_THIN = range(3)
PLAIN, STONE, WATER, HULL, WOOD, SAIL, ROPE = range(7)
SPHERE_LIGHT, WINDOW_LIGHT, MOON_LIGHT, SKY_LIGHT, BEACON_LIGHT = range(5)

Array = NDArray[np.float32]


class Scene(NamedTuple):
    """All that the tracer reads. Lengths in metres, y up; colours linear Rec.709."""

    kinds: NDArray[np.int32]  # (n,) kind of each shape
    data: Array  # (n, 12) numbers of each shape, by kind
    bounds: Array  # (n, 4) bounding sphere: centre, radius; radius 0 for none
    planes: Array  # (m, 4) half-spaces of the convex shapes: normal, offset
    shape_material: NDArray[np.int32]  # (n,)
    shape_object: NDArray[np.int32]  # (n,) index into the object names
    shape_light: NDArray[np.int32]  # (n,) emitter that the shape shows, or -1
    shape_shift: Array  # (n, 3) movement to the next frame
    materials: Array  # (k, 8): albedo (3), roughness, reflectance at normal incidence, glass kind, texture, bump
    emitters: Array  # (e, 16): kind, light, colour (3), then numbers by kind
    gains: Array  # (e, 3): what each emitter is multiplied by, 1 as the scene has it
    camera: Array  # (4, 3): eye, right, up, forward; right and up carry the half sizes of the frame at distance 1
    next_camera: Array  # the same one frame later
    mist: Array  # (4,): density at the water, height of decay, albedo, forward scattering
    heading: Array  # (3,): where the beacon points
    lens: Array  # (2,): radius of the aperture, 0 for a pinhole, and the distance in focus
    seen: NDArray[np.int32]  # (2,): the first shape that the camera sees, and the one after the last


@dataclass
class SceneBuilder:
    """Collects shapes, materials and emitters by name."""

    objects: list[str] = field(default_factory=list)
    material_names: list[str] = field(default_factory=list)
    rows: list[tuple[int, list[float], list[float], int, int, int, list[float]]] = field(default_factory=list)
    planes: list[list[float]] = field(default_factory=list)
    materials: list[list[float]] = field(default_factory=list)
    emitters: list[list[float]] = field(default_factory=list)

    def material(
        self,
        name: str,
        albedo: ArrayLike,
        roughness: float,
        reflectance: float = 0.04,
        glass: int = MATTE,
        texture: int = PLAIN,
        bump: float = 0.0,
    ) -> None:
        """Add a material. `roughness` is the GGX alpha's square root, 0..1."""
        self.material_names.append(name)
        self.materials.append([*map(float, np.ravel(albedo)), roughness, reflectance, glass, texture, bump])

    def emitter(self, kind: int, light: int, colour: ArrayLike, numbers: list[float]) -> int:
        """Add an emitter of a light; returns its index."""
        row = [float(kind), float(light), *map(float, np.ravel(colour)), *numbers]
        self.emitters.append(row + [0.0] * (16 - len(row)))
        return len(self.emitters) - 1

    def ellipsoid(self, name: str, material: str, centre: ArrayLike, radii: ArrayLike, **more: object) -> None:
        """A sphere stretched along the axes."""
        c, r = np.ravel(centre).astype(float), np.broadcast_to(np.ravel(radii), 3).astype(float)
        self._add(ELLIPSOID, name, material, [*c, *r], [*c, float(r.max())], **more)

    def cylinder(
        self, name: str, material: str, start: ArrayLike, end: ArrayLike, radius: float, **more: object
    ) -> None:
        """A closed cylinder from point to point."""
        a, b = np.ravel(start).astype(float), np.ravel(end).astype(float)
        reach = float(np.hypot(np.linalg.norm(b - a) / 2, radius))
        self._add(CYLINDER, name, material, [*a, *b, radius], [*((a + b) / 2), reach], **more)

    def quad(self, name: str, material: str, corner: ArrayLike, u: ArrayLike, v: ArrayLike, **more: object) -> None:
        """A parallelogram; u and v are its sides and its texture axes."""
        o, u, v = (np.ravel(side).astype(float) for side in (corner, u, v))
        reach = float(max(np.linalg.norm(u + v), np.linalg.norm(u - v)) / 2)
        self._add(QUAD, name, material, [*o, *u, *v], [*(o + (u + v) / 2), reach], **more)

    def water(self, name: str, material: str, height: float) -> None:
        """An endless level surface."""
        self._add(PLANE, name, material, [height], [0.0, 0.0, 0.0, 0.0])

    def box(self, name: str, material: str, low: ArrayLike, high: ArrayLike, turn: float = 0.0, **more: object) -> None:
        """A box, turned about its own vertical axis by degrees."""
        low, high = np.ravel(low).astype(float), np.ravel(high).astype(float)
        centre, half = (low + high) / 2, (high - low) / 2
        s, c = np.sin(np.radians(turn)), np.cos(np.radians(turn))
        axes = np.array([[c, 0, -s], [0, 1, 0], [s, 0, c]])
        normals = [*axes, *-axes]
        sizes = [*half, *half]
        half_spaces = [(n, float(n @ centre + d)) for n, d in zip(normals, sizes, strict=True)]
        self.convex(name, material, half_spaces, centre, float(np.linalg.norm(half)), **more)

    def convex(
        self,
        name: str,
        material: str,
        half_spaces: list[tuple[NDArray[np.float64], float]],
        centre: ArrayLike,
        reach: float,
        **more: object,
    ) -> None:
        """The common part of half-spaces `normal . x <= offset`."""
        first = len(self.planes)
        for normal, offset in half_spaces:
            size = float(np.linalg.norm(normal))
            self.planes.append([*(np.ravel(normal) / size), offset / size])
        self._add(CONVEX, name, material, [first, len(half_spaces)], [*map(float, np.ravel(centre)), reach], **more)

    def _add(
        self,
        kind: int,
        name: str,
        material: str,
        data: list[float],
        bounds: list[float],
        emitter: int = -1,
        shift: ArrayLike = (0.0, 0.0, 0.0),
    ) -> None:
        if name not in self.objects:
            self.objects.append(name)
        data = [float(value) for value in data] + [0.0] * (12 - len(data))
        place = self.objects.index(name), self.material_names.index(material)
        self.rows.append((kind, data, bounds, *place, emitter, [float(value) for value in np.ravel(shift)]))

    def finish(
        self,
        camera: Array,
        next_camera: Array,
        mist: ArrayLike,
        heading: ArrayLike,
        lens: ArrayLike = (0.0, 1.0),
        seen: tuple[int, int] | None = None,
    ) -> Scene:
        """The arrays. `seen`: the range of shapes that the camera sees, all by default; others still cast shadows."""
        kinds, data, bounds, objects, materials, emitters, shifts = zip(*self.rows, strict=True)
        return Scene(
            kinds=np.array(kinds, np.int32),
            data=np.array(data, np.float32),
            bounds=np.array(bounds, np.float32),
            planes=np.array(self.planes, np.float32).reshape(-1, 4),
            shape_material=np.array(materials, np.int32),
            shape_object=np.array(objects, np.int32),
            shape_light=np.array(emitters, np.int32),
            shape_shift=np.array(shifts, np.float32),
            materials=np.array(self.materials, np.float32),
            emitters=np.array(self.emitters, np.float32),
            gains=np.ones((len(self.emitters), 3), np.float32),
            camera=np.asarray(camera, np.float32),
            next_camera=np.asarray(next_camera, np.float32),
            mist=np.asarray(mist, np.float32),
            heading=np.asarray(heading, np.float32),
            lens=np.asarray(lens, np.float32),
            seen=np.array(seen or (0, len(kinds)), np.int32),
        )


def look_from(eye: ArrayLike, target: ArrayLike, height_degrees: float, aspect: float) -> Array:
    """A camera: eye, right, up and forward, scaled to the frame's half sizes at distance 1; (4, 3)."""
    eye, target = np.ravel(eye).astype(float), np.ravel(target).astype(float)
    forward = (target - eye) / np.linalg.norm(target - eye)
    right = np.cross([0.0, 1.0, 0.0], forward)
    right /= np.linalg.norm(right)
    up = np.cross(forward, right)
    half = np.tan(np.radians(height_degrees) / 2)
    return np.array([eye, right * half * aspect, up * half, forward], np.float32)

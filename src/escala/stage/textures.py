"""What the scene's surfaces look like: made from noise, stripes and simple drawings."""

import numpy as np

from escala.core.kernels import serial_kernel

from .scene import CONVEX, HULL, QUAD, ROPE, SAIL, STONE, WATER, WOOD
from .shapes import quad_place
from .vectors import row3, scaled, unit


@serial_kernel
def _hash(x, y):  # type: ignore[no-untyped-def]
    h = (np.uint32(x) * np.uint32(374761393) + np.uint32(y) * np.uint32(668265263)) & np.uint32(0xFFFFFFFF)
    h = ((h ^ (h >> np.uint32(13))) * np.uint32(1274126177)) & np.uint32(0xFFFFFFFF)
    return np.float32(h ^ (h >> np.uint32(16))) / np.float32(4294967296.0)


@serial_kernel
def value_noise(x, y):  # type: ignore[no-untyped-def]
    """Smooth noise 0..1 with a lattice of 1."""
    xi, yi = int(np.floor(x)), int(np.floor(y))
    fx, fy = x - xi, y - yi
    fx, fy = fx * fx * (3 - 2 * fx), fy * fy * (3 - 2 * fy)
    low = _hash(xi, yi) * (1 - fx) + _hash(xi + 1, yi) * fx
    high = _hash(xi, yi + 1) * (1 - fx) + _hash(xi + 1, yi + 1) * fx
    return low * (1 - fy) + high * fy


@serial_kernel
def layered_noise(x, y, layers):  # type: ignore[no-untyped-def]
    """Noise of several sizes, 0..1."""
    total, weight, size = 0.0, 0.5, 0.0
    for _ in range(layers):
        total += weight * value_noise(x, y)
        size += weight
        x, y, weight = 2.03 * x + 17.1, 2.03 * y + 5.7, weight * 0.5
    return total / size


@serial_kernel
def surface_at(scene, shape, point, normal, ray_length):  # type: ignore[no-untyped-def]
    """Albedo, roughness, reflectance, and the normal bent by the bump."""
    row = scene.shape_material[shape]
    materials = scene.materials
    albedo, roughness, reflectance = row3(materials, row, 0), float(materials[row, 3]), float(materials[row, 4])
    texture, bump = int(materials[row, 6]), float(materials[row, 7])
    if texture == STONE:
        return _stone(albedo, point, normal, bump)
    if texture == WATER:
        return _waves(albedo, roughness, reflectance, point, normal, bump, ray_length)
    if texture == HULL:
        albedo = _hull(scene.bounds, shape, point)
    elif texture == WOOD:
        albedo = scaled(albedo, _wood(point, normal))
    elif texture == SAIL:
        albedo = _sail(albedo, surface_place(scene, shape, point))
    elif texture == ROPE:
        albedo = scaled(albedo, 0.78 + 0.22 * np.sin(60.0 * (point[0] + point[1] * 1.6 + point[2])))
    return albedo, roughness, reflectance, normal


@serial_kernel
def surface_place(scene, shape, point):  # type: ignore[no-untyped-def]
    """Texture coordinates: along the sides of a flat cloth, along and up a hull, else 0."""
    if scene.kinds[shape] == QUAD:
        return quad_place(scene.data, shape, point)
    if scene.kinds[shape] == CONVEX and int(scene.materials[scene.shape_material[shape], 6]) == HULL:
        return (point[0] - scene.bounds[shape, 0] + 11.0) / 22.0, (point[1] + 0.6) / 3.5
    return 0.0, 0.0


@serial_kernel
def painted_material(scene, shape, point):  # type: ignore[no-untyped-def]
    """The material that is seen at a point: a hull's band is painted with one of its own, the next in the list."""
    row = scene.shape_material[shape]
    on_hull = scene.kinds[shape] == CONVEX and int(scene.materials[row, 6]) == HULL
    return row + 1 if on_hull and _is_band(scene.bounds, shape, point) else row


@serial_kernel
def _is_band(bounds, shape, point):  # type: ignore[no-untyped-def]
    return bounds[shape, 3] >= 5.0 and 1.35 < point[1] < 2.05


@serial_kernel
def _stone(albedo, point, normal, bump):  # type: ignore[no-untyped-def]
    top = normal[1] > 0.5
    a, b = point[0], point[2] if top else point[1] * 1.4
    row = np.floor(b / 0.62)
    along = a + 0.53 * row + 0.25 * _hash(int(row), 7)
    column = np.floor(along / 0.98)
    edge_a = min(along / 0.98 - column, 1 - along / 0.98 + column) * 0.98
    edge_b = min(b / 0.62 - row, 1 - b / 0.62 + row) * 0.62
    groove = min(1.0, max(0.0, (min(edge_a, edge_b) - 0.010) / 0.035))
    grain = layered_noise(a * 9.0, b * 9.0, 4)
    wet = 0.25
    if top:
        wet = min(1.0, max(0.0, (layered_noise(a * 0.62 + 3.0, b * 0.85 + 11.0, 4) - 0.40) * 5.0))
        normal = _rough_top(a, b, normal, bump * (1.0 - 0.86 * wet) * 2.2)
    tone = (0.72 + 0.5 * _hash(int(column), int(row))) * (0.55 + 0.8 * grain) * (0.35 + 0.65 * groove)
    roughness = (0.52 - 0.15 * grain) * (1.0 - wet) + 0.20 * wet
    return scaled(albedo, tone * (1.0 - 0.55 * wet)), roughness, 0.035 + 0.015 * wet, normal


@serial_kernel
def _rough_top(a, b, normal, strength):  # type: ignore[no-untyped-def]
    step = 0.02
    slope_a = layered_noise((a + step) * 5.0, b * 5.0, 3) - layered_noise((a - step) * 5.0, b * 5.0, 3)
    slope_b = layered_noise(a * 5.0, (b + step) * 5.0, 3) - layered_noise(a * 5.0, (b - step) * 5.0, 3)
    return unit((normal[0] - strength * slope_a, normal[1], normal[2] - strength * slope_b))


@serial_kernel
def _waves(albedo, roughness, reflectance, point, normal, bump, ray_length):  # type: ignore[no-untyped-def]
    """Ripples; what is too fine for the distance becomes roughness instead."""
    x, z = point[0], point[2]
    slope_x, slope_z = 0.0, 0.0
    frequency, height, turn = 0.55, 1.0, 0.4
    for wave in range(7):
        kept = 1.0 / (1.0 + (frequency * ray_length * 0.012) ** 2)
        c, s = np.cos(turn), np.sin(turn)
        phase = frequency * (c * x + s * z) + 2.4 * value_noise(x * 0.31 + wave * 7.0, z * 0.31)
        slope = height * kept * np.cos(phase * 2.0)
        slope_x, slope_z = slope_x + c * slope, slope_z + s * slope
        frequency, height, turn = frequency * 1.55, height * 0.86, turn + 1.9
    bent = unit((normal[0] - bump * slope_x * 0.55, normal[1], normal[2] - bump * slope_z))
    return albedo, min(0.34, roughness * (0.8 + 0.011 * ray_length)), reflectance, bent


@serial_kernel
def _hull(bounds, shape, point):  # type: ignore[no-untyped-def]
    height = point[1]
    shade = 0.78 + 0.3 * layered_noise((point[0] - bounds[shape, 0]) * 1.4, height * 0.25, 3)
    if bounds[shape, 3] < 5.0:
        return scaled((0.09, 0.16, 0.20), shade)
    if height < 0.45:
        return scaled((0.20, 0.05, 0.04), shade)
    if _is_band(bounds, shape, point):
        return scaled((0.62, 0.36, 0.08), shade)
    return scaled((0.64, 0.63, 0.60), shade)


@serial_kernel
def _wood(point, normal):  # type: ignore[no-untyped-def]
    across = point[1] if abs(normal[1]) < 0.5 else point[2]
    along = point[0] + 0.7 * point[2]
    board = np.floor(across / 0.145)
    gap = min(across / 0.145 - board, 1 - across / 0.145 + board)
    grain = layered_noise(along * 2.0 + 31.0 * board, across * 40.0, 3)
    return (0.6 + 0.55 * grain) * (0.75 + 0.5 * _hash(int(board), 3)) * (1.0 if gap > 0.06 else 0.25)


@serial_kernel
def _sail(albedo, place):  # type: ignore[no-untyped-def]
    u, v = place
    seam = 0.86 if abs(v * 5.0 - np.floor(v * 5.0 + 0.5)) < 0.02 else 1.0
    x, y = (u - 0.5) / 0.30, (v - 0.58) / 0.22
    radius = np.sqrt(x * x + y * y)
    wave = abs(y + 0.25 - 0.16 * np.sin(6.0 * x)) < 0.09 or abs(y - 0.18 - 0.16 * np.sin(6.0 * x + 1.0)) < 0.09
    if 0.86 < radius < 1.0 or (radius < 0.82 and wave):
        return (0.42, 0.07, 0.05)
    return scaled(albedo, seam * (0.92 + 0.16 * value_noise(u * 14.0, v * 18.0)))

"""How surfaces send light on: Lambert diffuse beneath a GGX reflection, and glass."""

import numpy as np

from escala.core.kernels import serial_kernel

from .vectors import add, around, dot, scaled, unit


@serial_kernel
def fresnel(reflectance, cosine):  # type: ignore[no-untyped-def]
    """Schlick (1994)."""
    return reflectance + (1.0 - reflectance) * (1.0 - min(1.0, max(0.0, cosine))) ** 5


@serial_kernel
def specular_share(albedo, reflectance, cosine):  # type: ignore[no-untyped-def]
    """How often to sample the reflection rather than the diffuse lobe."""
    shine = fresnel(reflectance, cosine)
    return min(0.9, max(0.15, shine / (shine + 0.5 * max(albedo[0], albedo[1], albedo[2]) + 1e-6)))


@serial_kernel
def reflect_factors(roughness, reflectance, normal, view, light, share):  # type: ignore[no-untyped-def]
    """For light from `light` to `view`: diffuse factor without albedo, specular factor, density of sampling.

    Both factors include the cosine. GGX after Walter et al. (2007), Smith masking in Heitz's (2014) form.
    """
    cos_view, cos_light = dot(normal, view), dot(normal, light)
    if cos_view <= 0.0 or cos_light <= 0.0:
        return 0.0, 0.0, 0.0
    half = unit(add(view, light, 1.0))
    cos_half, cos_in = dot(normal, half), dot(view, half)
    square = roughness**4
    spread = cos_half * cos_half * (square - 1.0) + 1.0
    facets = square / (np.pi * spread * spread)
    mask_view = cos_view + np.sqrt(square + (1.0 - square) * cos_view * cos_view)
    mask_light = cos_light + np.sqrt(square + (1.0 - square) * cos_light * cos_light)
    specular = fresnel(reflectance, cos_in) * facets * cos_light / (mask_view * mask_light)
    diffuse = (1.0 - reflectance) * cos_light / np.pi
    density = share * facets * cos_half / (4.0 * max(cos_in, 1e-6)) + (1.0 - share) * cos_light / np.pi
    return diffuse, specular, density


@serial_kernel
def sample_reflection(roughness, normal, view, share, r1, r2, r3):  # type: ignore[no-untyped-def]
    """A direction to go on in, by the reflection in `share` of the cases, else by the cosine."""
    if r3 >= share:
        return around(normal, np.sqrt(1.0 - r1), 2.0 * np.pi * r2)
    half = around(normal, np.sqrt((1.0 - r1) / (1.0 + (roughness**4 - 1.0) * r1)), 2.0 * np.pi * r2)
    return add(scaled(half, 2.0 * dot(view, half)), view, -1.0)


@serial_kernel
def pass_glass(direction, normal, reflectance, ratio, choice):  # type: ignore[no-untyped-def]
    """The direction after a glass face, and whether it went through; `ratio` of indices, 1 for a thin pane."""
    facing = dot(direction, normal)
    outward = facing > 0.0
    cosine = abs(facing)
    eta = 1.0 if ratio == 1.0 else (ratio if outward else 1.0 / ratio)
    inside = 1.0 - eta * eta * (1.0 - cosine * cosine)
    if inside <= 0.0:
        return add(direction, normal, -2.0 * facing), False
    seen = np.sqrt(inside) if outward and ratio != 1.0 else cosine
    if choice < fresnel(reflectance, seen):
        return add(direction, normal, -2.0 * facing), False
    bend = (eta * cosine - np.sqrt(inside)) * (-1.0 if outward else 1.0)
    return unit(add(scaled(direction, eta), normal, bend)), True

"""Paths of light through the scene, with every contribution kept by light and by component."""

import numpy as np

from escala.core.kernels import kernel, prange, serial_kernel

from .lights import emitter_density, emitter_radiance, sample_emitter, sees_moon, sky_radiance, window_lit, window_place
from .mist import mist_light, mist_transmittance
from .sampling import next_number, start_sample
from .scene import GLASS_SOLID, GLASS_THIN, MATTE, MOON_LIGHT, SKY_LIGHT, WINDOW_LIGHT
from .shading import pass_glass, reflect_factors, sample_reflection, specular_share
from .shapes import FAR, clear_way, nearest_hit, nearest_seen
from .textures import painted_material, surface_at
from .vectors import add, dot, product, row3, scaled, unit

# Where a contribution goes: (light, slot).
DIFFUSE_DIRECT, DIFFUSE_INDIRECT, SPECULAR_DIRECT, SPECULAR_INDIRECT = range(4)
TRANSMISSION, VOLUME, EMISSION, ENVIRONMENT = range(4, 8)
SLOTS = 8

# Columns of the extra figures of a pixel, summed over samples.
ALBEDO, SHADOW_LIT, SHADOW_ALL, OPEN, COVER, LUMA, LUMA_SQUARE = 0, 3, 4, 5, 6, 7, 8
EXTRAS = 9

_BOUNCES = 4
_BRIGHTEST_DIRECT, _BRIGHTEST_INDIRECT = 20.0, 4.0
_BRIGHTEST_SEEN = 40.0
_FAINTEST = 3e-4
_OPEN_REACH = 1.6
_OFFSET = 2e-3
_ONES, _NONE = (1.0, 1.0, 1.0), (0.0, 0.0, 0.0)


@kernel
def trace_rows(scene, first, last, seed, film, extras, objects, materials):  # type: ignore[no-untyped-def]
    """Add samples `first` to `last` of every pixel to the film.

    film (H, W, lights, SLOTS, 3), extras (H, W, EXTRAS), objects (H, W, names) and materials (H, W, names): sums.
    """
    height, width = film.shape[:2]
    for y in prange(height):
        state = np.zeros(3, np.int64)
        for x in range(width):
            for sample in range(first, last):
                start_sample(state, seed, y * width + x, sample)
                place = (x + next_number(state)) / width, (y + next_number(state)) / height
                _trace_sample(scene, place, state, film[y, x], extras[y, x], objects[y, x], materials[y, x])


@serial_kernel
def camera_ray(camera, x, y):  # type: ignore[no-untyped-def]
    """The direction through a place of the picture, 0..1 from the left and from the top."""
    sideways = add(row3(camera, 3, 0), row3(camera, 1, 0), 2.0 * x - 1.0)
    return unit(add(sideways, row3(camera, 2, 0), 1.0 - 2.0 * y))


@serial_kernel
def _through_lens(scene, eye, direction, r1, r2):  # type: ignore[no-untyped-def]
    """A ray from a place of the aperture to where the pinhole's ray is in focus."""
    sharp = add(eye, direction, scene.lens[1] / dot(direction, row3(scene.camera, 3, 0)))
    radius, angle = scene.lens[0] * np.sqrt(r1), 2.0 * np.pi * r2
    across = scaled(unit(row3(scene.camera, 1, 0)), radius * np.cos(angle))
    origin = add(add(eye, across, 1.0), unit(row3(scene.camera, 2, 0)), radius * np.sin(angle))
    return origin, unit(add(sharp, origin, -1.0))


@serial_kernel
def _trace_sample(scene, place, state, film, extras, objects, materials):  # type: ignore[no-untyped-def]
    before = _luma(film)
    origin, direction = row3(scene.camera, 0, 0), camera_ray(scene.camera, place[0], place[1])
    if scene.lens[0] > 0.0:
        origin, direction = _through_lens(scene, origin, direction, next_number(state), next_number(state))
    shape, distance, normal = nearest_seen(scene, origin, direction)
    if shape < 0 and scene.seen[0] > 0:  # what lies behind is seen in another render
        return
    mist_light(scene, origin, direction, distance, state, film, VOLUME)
    common = scaled(_ONES, mist_transmittance(scene.mist, origin, direction, distance))
    if shape >= 0:
        objects[scene.shape_object[shape]] += 1
        materials[painted_material(scene, shape, add(origin, direction, distance))] += 1
        extras[COVER] += 1
    _trace_path(scene, origin, direction, shape, distance, normal, common, state, film, extras)
    luma = _luma(film) - before
    extras[LUMA] += luma
    extras[LUMA_SQUARE] += luma * luma


@serial_kernel
def _luma(film):  # type: ignore[no-untyped-def]
    total = 0.0
    for light in range(film.shape[0]):
        for slot in range(SLOTS):
            total += 0.2126 * film[light, slot, 0] + 0.7152 * film[light, slot, 1] + 0.0722 * film[light, slot, 2]
    return total


@serial_kernel
def _trace_path(scene, origin, direction, shape, distance, normal, common, state, film, extras):  # type: ignore[no-untyped-def]
    """One path. diffuse, specular and through: what the first surface sends on; common: what all later ones do."""
    diffuse, specular, through = _NONE, _NONE, _NONE
    last_normal, density, first = normal, -1.0, True
    for bounce in range(_BOUNCES):
        if bounce > 0:
            shape, distance, normal = nearest_hit(scene, origin, direction)
        slot = 0 if bounce == 1 else 1
        if shape < 0:
            _meet_sky(scene, direction, last_normal, density, slot, first, common, diffuse, specular, through, film)
            return
        emitter = scene.shape_light[shape]
        if emitter >= 0:
            lit = _emitter_met(scene, emitter, origin, direction, distance, last_normal, density)
            _send(film, scene, emitter, slot, first, EMISSION, lit, common, diffuse, specular, through)
            return
        point = add(origin, direction, distance)
        glass = int(scene.materials[scene.shape_material[shape], 5])
        if glass != MATTE:
            direction, went, tint = _at_glass(scene, shape, glass, direction, normal, state)
            if first:
                specular, through = (_NONE, common) if went else (common, _NONE)
                common, first = _ONES, False
            common, density = product(common, tint), -1.0
            origin = add(point, direction, _OFFSET)
            continue
        if dot(direction, normal) > 0.0:
            normal = scaled(normal, -1.0)
        albedo, roughness, reflectance, normal = surface_at(scene, shape, point, normal, distance)
        view = scaled(direction, -1.0)
        normal = _facing(normal, view)
        surface = (roughness, reflectance, specular_share(albedo, reflectance, dot(normal, view)))
        origin = add(point, normal, _OFFSET)
        if first:
            _note_surface(scene, origin, normal, albedo, state, extras)
            _light_first(scene, origin, normal, view, albedo, surface, state, common, film, extras)
        else:
            _light_later(scene, origin, normal, view, albedo, surface, state, common, diffuse, specular, through, film)
        r1, r2, r3 = next_number(state), next_number(state), next_number(state)
        direction = sample_reflection(roughness, normal, view, surface[2], r1, r2, r3)
        matte, shine, density = reflect_factors(roughness, reflectance, normal, view, direction, surface[2])
        if density <= 1e-8:
            return
        if first:
            diffuse = product(scaled(common, matte / density), albedo)
            specular = scaled(common, shine / density)
            common, first = _ONES, False
        else:
            common = product(common, add(scaled(albedo, matte / density), _ONES, shine / density))
        last_normal = normal


@serial_kernel
def _facing(normal, view):  # type: ignore[no-untyped-def]
    """A bumped normal bent back until the viewer sees its face."""
    seen = dot(normal, view)
    return normal if seen > 0.02 else unit(add(normal, view, (0.02 - seen) * 1.02))


@serial_kernel
def _at_glass(scene, shape, glass, direction, normal, state):  # type: ignore[no-untyped-def]
    row = scene.shape_material[shape]
    ratio = 1.0 if glass == GLASS_THIN else 1.5
    inward = dot(direction, normal) < 0.0
    onward, went = pass_glass(direction, normal, float(scene.materials[row, 4]), ratio, next_number(state))
    coloured = went and (glass == GLASS_THIN or (glass == GLASS_SOLID and inward))
    return onward, went, (row3(scene.materials, row, 0) if coloured else _ONES)


@serial_kernel
def _together(own, other):  # type: ignore[no-untyped-def]
    """The power heuristic (Veach 1997): the weight of a sample that another method could have found too."""
    return own * own / (own * own + other * other)


@serial_kernel
def _emitter_sample(scene, index, origin, normal, view, surface, state):  # type: ignore[no-untyped-def]
    """One sample of an emitter: its colour weighted, unshadowed strength, share seen, diffuse and specular factor."""
    r1, r2 = next_number(state), next_number(state)
    light, distance, likely = sample_emitter(scene, index, origin, normal, r1, r2)
    if likely <= 0.0:
        return _NONE, 0.0, 0.0, 0.0
    matte, shine, density = reflect_factors(surface[0], surface[1], normal, view, light, surface[2])
    if matte <= 0.0 and shine <= 0.0:
        return _NONE, 0.0, 0.0, 0.0
    colour = emitter_radiance(scene, index, light, r1, r2)
    if (colour[0] + colour[1] + colour[2]) * (matte + shine) < _FAINTEST * likely:
        return _NONE, 0.0, 0.0, 0.0
    seen = clear_way(scene, origin, light, distance)
    return scaled(colour, _together(likely, density) / likely), seen, matte, shine


@serial_kernel
def _light_first(scene, origin, normal, view, albedo, surface, state, common, film, extras):  # type: ignore[no-untyped-def]
    """Light straight from all emitters onto the first surface."""
    for index in range(scene.emitters.shape[0]):
        colour, seen, matte, shine = _emitter_sample(scene, index, origin, normal, view, surface, state)
        gains = scene.gains[index]
        lit = matte * (0.3 * colour[0] * gains[0] + 0.6 * colour[1] * gains[1] + 0.1 * colour[2] * gains[2])
        extras[SHADOW_LIT] += lit * seen
        extras[SHADOW_ALL] += lit
        group = int(scene.emitters[index, 1])
        for k in range(3):
            film[group, DIFFUSE_DIRECT, k] += common[k] * albedo[k] * matte * colour[k] * seen * gains[k]
            mirrored = min(common[k] * shine * colour[k] * seen, _BRIGHTEST_DIRECT)
            film[group, SPECULAR_DIRECT, k] += mirrored * gains[k]


@serial_kernel
def _light_later(scene, origin, normal, view, albedo, surface, state, common, diffuse, specular, through, film):  # type: ignore[no-untyped-def]
    """Light straight from one emitter, chosen evenly, onto a later surface."""
    count = scene.emitters.shape[0]
    index = min(int(next_number(state) * count), count - 1)
    colour, seen, matte, shine = _emitter_sample(scene, index, origin, normal, view, surface, state)
    if seen > 0.0:
        sent = product(scaled(colour, seen * count), add(scaled(albedo, matte), _ONES, shine))
        _send(film, scene, index, 1, False, EMISSION, sent, common, diffuse, specular, through)


@serial_kernel
def _send(film, scene, emitter, slot, first, seen_slot, colour, common, diffuse, specular, through):  # type: ignore[no-untyped-def]
    """Add light to where it belongs: seen straight on, or by way of the first surface (slot 0 direct, 1 indirect).

    Outliers are cut off by the strength that the scene gives its lights, then comes the gain: so levels are exact.
    """
    light, gains = int(scene.emitters[emitter, 1]), scene.gains[emitter]
    limit = _BRIGHTEST_DIRECT if slot == 0 else _BRIGHTEST_INDIRECT
    seen = min(1.0, _BRIGHTEST_SEEN / max(colour[0], colour[1], colour[2], 1e-6))
    for k in range(3):
        if first:
            film[light, seen_slot, k] += common[k] * colour[k] * seen * gains[k]
        else:
            arriving = common[k] * colour[k]
            film[light, slot, k] += min(diffuse[k] * arriving, limit) * gains[k]
            film[light, 2 + slot, k] += min(specular[k] * arriving, limit) * gains[k]
            film[light, TRANSMISSION, k] += min(through[k] * arriving, _BRIGHTEST_SEEN) * gains[k]


@serial_kernel
def _emitter_met(scene, index, origin, direction, distance, normal, density):  # type: ignore[no-untyped-def]
    """The light of an emitter that a path ran into, weighted against having sampled it."""
    u, v = 0.0, 0.0
    if int(scene.emitters[index, 0]) == WINDOW_LIGHT:
        u, v = window_place(scene, index, origin, direction)
        if not window_lit(u, v, scene.emitters[index, 10]):
            return _NONE
    colour = emitter_radiance(scene, index, direction, u, v)
    if density <= 0.0:
        return colour
    return scaled(colour, _together(density, emitter_density(scene, index, origin, normal, direction, distance)))


@serial_kernel
def _meet_sky(scene, direction, normal, density, slot, first, common, diffuse, specular, through, film):  # type: ignore[no-untyped-def]
    for index in range(scene.emitters.shape[0]):
        kind = int(scene.emitters[index, 0])
        if kind == SKY_LIGHT:
            colour = sky_radiance(scene.emitters, index, direction)
        elif kind == MOON_LIGHT and sees_moon(scene.emitters, index, direction):
            colour = emitter_radiance(scene, index, direction, 0.0, 0.0)
        else:
            continue
        if density > 0.0:
            other = emitter_density(scene, index, direction, normal, direction, FAR)
            colour = scaled(colour, _together(density, other))
        _send(film, scene, index, slot, first, ENVIRONMENT, colour, common, diffuse, specular, through)


@serial_kernel
def _note_surface(scene, origin, normal, albedo, state, extras):  # type: ignore[no-untyped-def]
    """The surface's colour, and whether a random direction from it is free for a little way."""
    for k in range(3):
        extras[ALBEDO + k] += albedo[k]
    direction = sample_reflection(1.0, normal, normal, -1.0, next_number(state), next_number(state), 1.0)
    if nearest_hit(scene, origin, direction)[1] > _OPEN_REACH:
        extras[OPEN] += 1.0

"""From the film's sums to the passes that a production renderer writes: half colour, float data."""

import json
from collections.abc import Mapping
from typing import Any

import numpy as np
from numpy.typing import NDArray

from escala.core.colour.gamuts import GAMUTS
from escala.core.mattes.cryptomatte import encode_ranks, layer_key, name_to_id_bits
from escala.core.planes import narrow_to_half

from . import tracer as t
from .cleanup import clean_planes
from .guides import DEPTH, MOTION, NORMAL, POSITION, UV
from .quay import LIGHTS

Array = NDArray[np.float32]
CRYPTO_RANKS = 6
_DARKEST = np.float32(1e-4)

# Component: its slots in the film, and how each is cleaned: wavelet levels, weight of normals, strength.
COMPONENTS = {
    "diffuse": (t.DIFFUSE_DIRECT, t.DIFFUSE_INDIRECT),
    "specular": (t.SPECULAR_DIRECT, t.SPECULAR_INDIRECT),
    "transmission": (t.TRANSMISSION,),
    "volume": (t.VOLUME,),
    "emission": (t.EMISSION,),
    "environment": (t.ENVIRONMENT,),
}
_CLEANING = {
    t.DIFFUSE_DIRECT: (3, 2.0, 1.6),
    t.DIFFUSE_INDIRECT: (5, 1.0, 3.0),
    t.SPECULAR_DIRECT: (2, 4.0, 1.0),
    t.SPECULAR_INDIRECT: (3, 3.0, 1.5),
    t.TRANSMISSION: (2, 1.0, 1.0),
    t.VOLUME: (5, 0.0, 6.0),
}


def film_to_contributions(film: Array, extras: Array, guides: Array, samples: int, clean: bool) -> Array:
    """(H, W, lights, slots, 3) sums to means, cleaned slot by slot; the albedo is kept out of the cleaning."""
    out = film / np.float32(samples)
    mean = extras[:, :, t.ALBEDO : t.ALBEDO + 3] / np.float32(samples)
    # Where hardly any surface is seen, light cannot be separated from colour: there is no diffuse light.
    seen = mean > 4 * _DARKEST
    out[:, :, :, list(COMPONENTS["diffuse"])] *= seen[:, :, None, None]
    if not clean:
        return out
    albedo = np.maximum(mean, np.float32(1e-3))
    for light in range(film.shape[2]):
        for slot, (levels, normals, strength) in _CLEANING.items():
            planes = np.ascontiguousarray(out[:, :, light, slot])
            if not planes.any():
                continue
            if slot in COMPONENTS["diffuse"]:
                smooth = clean_planes(planes / albedo, guides, levels, normals, strength)
                out[:, :, light, slot] = smooth * albedo * seen
            else:
                out[:, :, light, slot] = clean_planes(planes, guides, levels, normals, strength)
    return out


def contributions_to_channels(parts: Array, extras: Array, guides: Array, samples: int) -> dict[str, NDArray[Any]]:
    """All channels of the file by full name, but for the cryptomattes."""
    channels: dict[str, NDArray[Any]] = {}
    _add_colour(channels, "", parts.sum(axis=(2, 3), dtype=np.float64))
    channels["A"] = narrow_to_half(extras[:, :, t.COVER] / samples)
    _add_lights(channels, parts)
    _add_components(channels, parts, extras, samples)
    lit = np.divide(extras[:, :, t.SHADOW_LIT], extras[:, :, t.SHADOW_ALL], where=extras[:, :, t.SHADOW_ALL] > 0,
                    out=np.ones(parts.shape[:2], np.float32))  # fmt: skip
    channels["shadow.Y"] = narrow_to_half(lit)
    surface = np.maximum(extras[:, :, t.COVER], 1)
    channels["occlusion.Y"] = narrow_to_half(np.where(extras[:, :, t.COVER] > 0, extras[:, :, t.OPEN] / surface, 1.0))
    mean = extras[:, :, t.LUMA] / samples
    channels["variance.Y"] = np.maximum(extras[:, :, t.LUMA_SQUARE] / samples - mean**2, 0).astype(np.float32) / samples
    channels["depth.Z"] = guides[:, :, DEPTH]
    for layer, letters, first in (
        ("position", "XYZ", POSITION),
        ("normal", "XYZ", NORMAL),
        ("uv", "UV", UV),
        ("motion", "XY", MOTION),
    ):
        channels |= {f"{layer}.{letter}": guides[:, :, first + k] for k, letter in enumerate(letters)}
    return channels


def _add_lights(channels: dict[str, NDArray[Any]], parts: Array) -> None:
    for index, light in enumerate(LIGHTS):
        _add_colour(channels, light, parts[:, :, index].sum(axis=2, dtype=np.float64))
        for component, slots in COMPONENTS.items():
            planes = parts[:, :, index, list(slots)].sum(axis=2, dtype=np.float64)
            if planes.any():
                _add_colour(channels, f"{light}_{component}", planes)


def _add_components(channels: dict[str, NDArray[Any]], parts: Array, extras: Array, samples: int) -> None:
    both = parts.sum(axis=2, dtype=np.float64)
    albedo = extras[:, :, t.ALBEDO : t.ALBEDO + 3] / samples
    stored = narrow_to_half(albedo).astype(np.float64)
    lit = stored > _DARKEST
    for name, slot in (("direct", t.DIFFUSE_DIRECT), ("indirect", t.DIFFUSE_INDIRECT)):
        _add_colour(
            channels, f"diffuse_{name}", np.divide(both[:, :, slot], stored, where=lit, out=np.zeros_like(stored))
        )
    _add_colour(channels, "diffuse_colour", albedo)
    for name, slot in (("direct", t.SPECULAR_DIRECT), ("indirect", t.SPECULAR_INDIRECT)):
        _add_colour(channels, f"specular_{name}", both[:, :, slot])
    for component, slots in COMPONENTS.items():
        _add_colour(channels, component, both[:, :, list(slots)].sum(axis=2))


def _add_colour(channels: dict[str, NDArray[Any]], layer: str, planes: NDArray[np.floating[Any]]) -> None:
    for k, letter in enumerate("RGB"):
        name = f"{layer}.{letter}" if layer else letter
        channels[name] = narrow_to_half(np.ascontiguousarray(planes[:, :, k], np.float32))


def cryptomatte_channels(layer: str, names: tuple[str, ...], counts: Array, samples: int) -> dict[str, Array]:
    """The rank channels of a layer: float, three passes of two ranks each. `counts`: (H, W, names)."""
    shares = {name_to_id_bits(name): counts[:, :, i] / np.float32(samples) for i, name in enumerate(names)}
    planes = encode_ranks(shares, CRYPTO_RANKS)
    return {f"{layer}{i // 4:02d}.{'RGBA'[i % 4]}": plane for i, plane in enumerate(planes)}


def cryptomatte_attributes(layers: Mapping[str, tuple[str, ...]]) -> dict[str, str]:
    """The header entries that declare the layers and their manifests."""
    attributes = {}
    for layer, names in layers.items():
        prefix = f"cryptomatte/{layer_key(layer)}"
        manifest = {name: f"{name_to_id_bits(name):08x}" for name in names}
        attributes |= {
            f"{prefix}/name": layer,
            f"{prefix}/hash": "MurmurHash3_32",
            f"{prefix}/conversion": "uint32_to_float32",
            f"{prefix}/manifest": json.dumps(manifest, separators=(",", ":")),
        }
    return attributes


CHROMATICITIES = GAMUTS["Rec.709"]

"""Objects named by cryptomattes: their layers, names and coverage."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from escala.core.errors import BadSource, UnknownChoice
from escala.core.mattes.cryptomatte import (
    coverage_of_ids,
    match_names,
    missing_share,
    object_matte,
)
from escala.core.planes import Matte
from escala.media.path_safety import printable
from escala.media.store import StoredFrame

from ..viewer.viewport import Viewport, full_viewport, sample_pass
from .manifests import WHOLE_ID, CryptoLayer, crypto_layers


@dataclass(frozen=True)
class ObjectHit:
    """What covers a place: an object, its layer, and how much of the place it covers, 0..1."""

    name: str
    layer: str
    coverage: float


def matte_of_objects(frame: StoredFrame, names: Iterable[str], layer: str | None) -> Matte:
    """Exact coverage of named objects, (H, W). Raises `UnknownChoice` for a name or layer that is not there."""
    layers = crypto_layers(frame)
    if not layers:
        file = printable(next(iter(frame.passes.values())).file)
        raise BadSource(f"{file} has no cryptomatte: the header declares none, or its passes are missing")
    if layer is not None and layer not in {found.name for found in layers}:
        raise UnknownChoice("cryptomatte layer", layer, [found.name for found in layers])
    wanted = list(names)
    absent = absent_objects(frame, wanted, layer)
    if absent:
        raise UnknownChoice("object", absent[0], {name for found in layers for name in found.manifest})
    return coverage_at(frame, ids_by_layer(frame, wanted, layer), _whole(frame))


def coverage_at(frame: StoredFrame, ids_of: Sequence[tuple[CryptoLayer, list[int]]], viewport: Viewport) -> Matte:
    """The coverage of ids of layers pixel by pixel of a full look, summed and clipped to 1."""
    total = np.zeros((viewport.height, viewport.width), np.float32)
    for found, ids in ids_of:
        total += object_matte(_ranks(frame, found, viewport), ids)
    return np.asarray(np.minimum(total, np.float32(1.0)))


def ids_by_layer(frame: StoredFrame, names: Sequence[str], layer: str | None) -> list[tuple[CryptoLayer, list[int]]]:
    """The ids that names stand for, each name in the first layer that knows it; `*` and `?` match names."""
    layers = [found for found in crypto_layers(frame) if layer in (None, found.name)]
    wanted: dict[str, list[int]] = {}
    for name in names:
        for found in layers:
            ids = _ids_in(frame, found, name)
            if ids:
                wanted.setdefault(found.name, []).extend(ids)
                break
    return [(found, wanted[found.name]) for found in layers if found.name in wanted]


def absent_objects(frame: StoredFrame, names: Sequence[str], layer: str | None) -> list[str]:
    """The names that no layer knows."""
    layers = [found for found in crypto_layers(frame) if layer in (None, found.name)]
    return [name for name in dict.fromkeys(names) if not any(_ids_in(frame, found, name) for found in layers)]


def pick_objects(frame: StoredFrame, viewport: Viewport, layer: str | None = None) -> list[ObjectHit]:
    """What lies in a region of pixels, by layer, in each the object that covers most of it first.

    Layers of objects come before those of materials or assets, as far as their names tell.
    """
    found = []
    for one in sorted(crypto_layers(frame), key=lambda one: "obj" not in one.name.lower()):
        if layer in (None, one.name):
            shares = coverage_of_ids(_ranks(frame, one, viewport))
            pixels = viewport.width * viewport.height
            found += [
                ObjectHit(one.name_of(bits), one.name, min(1.0, total / pixels)) for bits, total in shares.items()
            ]
    return found


def missing_of_layer(frame: StoredFrame, layer: CryptoLayer, alpha: str | None) -> float:
    """The share of what is covered that no stored rank of a layer holds, 0..1."""
    cover = frame.planes(alpha)[0].astype(np.float32) if alpha else None
    return missing_share(_ranks(frame, layer, _whole(frame)), cover)


def _whole(frame: StoredFrame) -> Viewport:
    raster = frame.header.raster
    return full_viewport(0, 0, raster.width, raster.height)


def _ranks(frame: StoredFrame, layer: CryptoLayer, viewport: Viewport) -> list[NDArray[np.float32]]:
    return [plane for name in layer.passes for plane in sample_pass(frame, name, viewport, exact=True)]


def _ids_in(frame: StoredFrame, layer: CryptoLayer, name: str) -> list[int]:
    """The ids that a name or pattern stands for in a layer; none where it knows no such name.

    Without a manifest a name is known by its hash, where a pixel holds that.
    """
    known = [layer.manifest[match] for match in match_names(name, layer.manifest)]
    if known:
        return known
    bits = layer.id_of(name)
    if layer.manifest and not (WHOLE_ID.fullmatch(name) and bits not in layer.manifest.values()):
        return []
    return [bits] if _is_held(frame, layer, bits) else []


def _is_held(frame: StoredFrame, layer: CryptoLayer, bits: int) -> bool:
    wanted = np.uint32(bits)
    planes = (plane for name in layer.passes for plane in frame.planes(name)[0::2])
    return any((np.ascontiguousarray(plane, np.float32).view(np.uint32) == wanted).any() for plane in planes)

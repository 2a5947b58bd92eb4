"""Mattes of named objects from cryptomatte passes."""

import json
import re
from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from escala.core.errors import BadSource, UnknownChoice
from escala.core.mattes.cryptomatte import name_to_id_bits, object_matte, rank_of_pass
from escala.core.planes import Matte
from escala.media.places import is_file
from escala.media.store import StoredFrame


@dataclass(frozen=True)
class CryptoLayer:
    """A layer: its name, its rank passes in order, and its manifest of names to id bits (may be empty)."""

    name: str
    passes: tuple[str, ...]
    manifest: dict[str, int]


def crypto_layers(frame: StoredFrame) -> list[CryptoLayer]:
    """The layers that the headers of a frame declare and its passes hold."""
    attributes = frame.header.attributes
    layers = []
    for key, name in attributes.items():
        if key.startswith("cryptomatte/") and key.endswith("/name"):
            passes = sorted(p for p in frame.passes if rank_of_pass(p, name) is not None)
            if passes:
                layers.append(CryptoLayer(name, tuple(passes), _manifest(frame, key.removesuffix("/name"))))
    return layers


def matte_of_objects(frame: StoredFrame, names: Iterable[str], layer: str | None) -> Matte:
    """Exact coverage of named objects, (H, W). Raises `UnknownChoice` for a name or layer that is not there."""
    layers = crypto_layers(frame)
    if not layers:
        raise BadSource("the render holds no cryptomatte: its header declares none, or the passes are missing")
    if layer is not None:
        layers = [found for found in layers if found.name == layer]
        if not layers:
            raise UnknownChoice("cryptomatte layer", layer, [found.name for found in crypto_layers(frame)])
    wanted = list(names)
    holding = [found for found in layers if all(_knows(frame, found, name) for name in wanted)]
    if not holding:
        known = {name for found in layers for name in found.manifest}
        missing = next((n for n in wanted if not any(_knows(frame, found, n) for found in layers)), ", ".join(wanted))
        raise UnknownChoice("object", missing, known)
    chosen = holding[0]
    ids = [chosen.manifest.get(name, name_to_id_bits(name)) for name in wanted]
    return object_matte(_ranks(frame, chosen), ids)


def _ranks(frame: StoredFrame, layer: CryptoLayer) -> list[NDArray[np.float32]]:
    return [plane for name in layer.passes for plane in frame.planes(name).astype(np.float32, copy=False)]


def _knows(frame: StoredFrame, layer: CryptoLayer, name: str) -> bool:
    if layer.manifest:
        return name in layer.manifest
    bits = np.uint32(name_to_id_bits(name))
    return any((np.ascontiguousarray(plane).view(np.uint32) == bits).any() for plane in _ranks(frame, layer)[0::2])


def _manifest(frame: StoredFrame, prefix: str) -> dict[str, int]:
    text = frame.header.attributes.get(f"{prefix}/manifest", "")
    sidecar = frame.header.attributes.get(f"{prefix}/manif_file")
    try:
        if not text and sidecar:
            text = _sidecar(Path(next(iter(frame.passes.values())).file).parent, Path(sidecar).name)
        entries = json.loads(text) if text else {}
    except (ValueError, OSError, RecursionError):
        return {}
    if not isinstance(entries, dict):
        return {}
    return {name: int(value, 16) for name, value in entries.items() if _ID.fullmatch(str(value))}


def _sidecar(folder: Path, name: str) -> str:
    """A manifest beside the picture; a link that leads out of its folder is none."""
    file = (folder / name).resolve()
    if not is_file(file) or file.parent != folder.resolve() or file.stat().st_size > _MOST_MANIFEST_BYTES:
        return ""
    return file.read_text(encoding="utf-8")


# An id is a hash of 32 bits.
_ID = re.compile("[0-9a-fA-F]{1,8}")
_MOST_MANIFEST_BYTES = 64 * 2**20

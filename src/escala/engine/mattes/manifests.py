"""Manifests of cryptomattes: names and ids of objects, from a header or from a file beside the image."""

import json
import re
import weakref
from dataclasses import dataclass
from functools import cached_property
from pathlib import Path

from escala.core.mattes.cryptomatte import name_to_id_bits, rank_of_pass
from escala.media.path_safety import is_file
from escala.media.store import StoredFrame

# An id is a hash of 32 bits.
_ID = re.compile("[0-9a-fA-F]{1,8}")
WHOLE_ID = re.compile("[0-9a-f]{8}")
_MAX_MANIFEST_BYTES = 64 * 2**20

State = tuple[tuple[str, int, int], ...]


@dataclass(frozen=True, eq=False)
class CryptoLayer:
    """A layer: its name, its rank passes in order, and its manifest of names to id bits (may be empty)."""

    name: str
    passes: tuple[str, ...]
    manifest: dict[str, int]

    def id_of(self, name: str) -> int:
        """The id bits of a name: as the manifest has it; else that of eight hex digits, or the name's hash."""
        known = self.manifest.get(name)
        if known is None:
            known = int(name, 16) if WHOLE_ID.fullmatch(name) else name_to_id_bits(name)
        return known

    def name_of(self, bits: int) -> str:
        """The name of an id; its eight hex digits where the manifest has none."""
        return self._names.get(bits, f"{bits:08x}")

    @cached_property
    def _names(self) -> dict[int, str]:
        return {bits: name for name, bits in reversed(self.manifest.items())}


_LAYERS: "weakref.WeakKeyDictionary[StoredFrame, tuple[State, tuple[CryptoLayer, ...]]]" = weakref.WeakKeyDictionary()


def crypto_layers(frame: StoredFrame) -> tuple[CryptoLayer, ...]:
    """The layers that a frame's headers declare and its passes hold, by name; read anew when a manifest changes."""
    state = manifest_state(frame)
    known = _LAYERS.get(frame)
    if known is None or known[0] != state:
        known = state, tuple(sorted(_read_layers(frame), key=lambda layer: layer.name))
        _LAYERS[frame] = known
    return known[1]


def manifest_state(frame: StoredFrame) -> State:
    """Name, size and time of each manifest that lies in a file of its own; size -1 for one that is missing."""
    return tuple(_state(_sidecar(frame, name)) for name in _sidecar_names(frame))


def _sidecar_names(frame: StoredFrame) -> list[str]:
    attributes = frame.header.attributes
    if not any(key.endswith("/manif_file") for key in attributes):
        return []
    return [
        value
        for key, value in attributes.items()
        if key.startswith("cryptomatte/") and key.endswith("/manif_file") and value
    ]


def _sidecar(frame: StoredFrame, name: str) -> Path:
    return Path(next(iter(frame.passes.values())).file).parent / Path(name).name


def _state(file: Path) -> tuple[str, int, int]:
    try:
        state = file.stat()
    except OSError:
        return file.name, -1, 0
    return file.name, state.st_size, state.st_mtime_ns


def _read_layers(frame: StoredFrame) -> list[CryptoLayer]:
    layers = []
    for key, name in frame.header.attributes.items():
        if key.startswith("cryptomatte/") and key.endswith("/name"):
            passes = sorted(p for p in frame.passes if rank_of_pass(p, name) is not None)
            if passes:
                layers.append(CryptoLayer(name, tuple(passes), _manifest(frame, key.removesuffix("/name"))))
    return layers


def _manifest(frame: StoredFrame, prefix: str) -> dict[str, int]:
    """Names and ids; none where the manifest is missing, broken or no table. Entries that are no ids are excluded."""
    text = frame.header.attributes.get(f"{prefix}/manifest", "")
    sidecar = frame.header.attributes.get(f"{prefix}/manif_file")
    try:
        if not text and sidecar:
            text = _read_sidecar(_sidecar(frame, sidecar))
        entries = json.loads(text) if text else {}
    except (ValueError, OSError, RecursionError):
        return {}
    if not isinstance(entries, dict):
        return {}
    return {name: int(value, 16) for name, value in entries.items() if isinstance(value, str) and _ID.fullmatch(value)}


def _read_sidecar(file: Path) -> str:
    """A manifest beside the image; a link that leads out of its folder is none."""
    found = file.resolve()
    if not is_file(found) or found.parent != file.parent.resolve() or found.stat().st_size > _MAX_MANIFEST_BYTES:
        return ""
    return found.read_text(encoding="utf-8")

"""Cryptomatte (open specification 1.2): name hashes, and exact coverage from ranked id and coverage channels."""

import struct
from collections.abc import Iterable, Mapping, Sequence

import numpy as np
from numpy.typing import NDArray

from ..kernels import kernel, prange, serial_kernel
from ..planes import Matte

_MASK = 0xFFFFFFFF


def murmur_hash(data: bytes, seed: int = 0) -> int:
    """MurmurHash3_x86_32 (A. Appleby, public domain): an unsigned 32-bit number."""
    h = seed
    whole = len(data) // 4 * 4
    for (block,) in struct.iter_unpack("<I", data[:whole]):
        h ^= _scramble(block)
        h = (_rotate(h, 13) * 5 + 0xE6546B64) & _MASK
    h ^= _scramble(int.from_bytes(data[whole:], "little")) if len(data) > whole else 0
    h ^= len(data)
    for shift, factor in ((16, 0x85EBCA6B), (13, 0xC2B2AE35)):
        h = ((h ^ (h >> shift)) * factor) & _MASK
    return h ^ (h >> 16)


def name_to_id_bits(name: str) -> int:
    """The bits of the float id of a name: its hash with the exponent forced off 0 and 255."""
    bits = murmur_hash(name.encode("utf-8"))
    exponent = (bits >> 23) & 0xFF
    return bits ^ (1 << 23) if exponent in (0, 255) else bits


def layer_key(layer: str) -> str:
    """The header key of a layer: the first seven hex digits of its name's hash."""
    return f"{murmur_hash(layer.encode('utf-8')):08x}"[:7]


def declared_layers(attributes: Mapping[str, str]) -> list[str]:
    """The names of the layers that a header declares (`cryptomatte/<key>/name`)."""
    return [name for key, name in attributes.items() if key.startswith("cryptomatte/") and key.endswith("/name")]


def rank_of_pass(name: str, layer: str) -> int | None:
    """Which pair of ranks a pass of a layer holds: 0 for `<layer>00`; None for any other pass."""
    tail = name.removeprefix(layer)
    return int(tail) if tail != name and len(tail) == 2 and tail.isdigit() else None


def object_matte(ranks: Sequence[NDArray[np.float32]], ids: Iterable[int]) -> Matte:
    """The coverage of the objects with these id bits, summed over ranks and clipped to 1; (H, W).

    `ranks`: pairs of planes in order, id then coverage, each (H, W) float32; ids are compared bit by bit.
    """
    wanted = np.array(sorted(set(ids)), np.uint32)
    total = np.zeros(ranks[0].shape, np.float32)
    for id_plane, coverage in zip(ranks[0::2], ranks[1::2], strict=True):
        bits = np.ascontiguousarray(id_plane, np.float32).view(np.uint32)
        _add_coverage(bits, np.ascontiguousarray(coverage, np.float32), wanted, total)
    return np.asarray(np.clip(total, np.float32(0.0), np.float32(1.0)))


@kernel
def _add_coverage(bits, coverage, wanted, total):  # type: ignore[no-untyped-def]
    for y in prange(bits.shape[0]):
        for x in range(bits.shape[1]):
            if coverage[y, x] > 0 and _is_among(bits[y, x], wanted):
                total[y, x] += coverage[y, x]


@serial_kernel
def _is_among(value, ordered):  # type: ignore[no-untyped-def]
    """Kernel part: whether a number is in a list in rising order."""
    low, high = 0, ordered.size
    while low < high:
        middle = (low + high) // 2
        if ordered[middle] < value:
            low = middle + 1
        else:
            high = middle
    return low < ordered.size and ordered[low] == value


def coverage_of_ids(ranks: Sequence[NDArray[np.float32]]) -> dict[int, float]:
    """The coverage of each id in a region, summed over its pixels, by id bits; the largest first.

    `ranks` as for `object_matte`. What has no coverage, and the id 0 that stands for nothing, is excluded.
    """
    found: dict[int, float] = {}
    for id_plane, coverage in zip(ranks[0::2], ranks[1::2], strict=True):
        bits = np.ascontiguousarray(id_plane, np.float32).view(np.uint32).reshape(-1)
        known, places = np.unique(bits, return_inverse=True)
        weights = np.nan_to_num(np.asarray(coverage, np.float64).reshape(-1))
        for one, total in zip(known.tolist(), np.bincount(places, np.maximum(weights, 0.0)), strict=True):
            if one and total > 0:
                found[one] = found.get(one, 0.0) + float(total)
    return dict(sorted(found.items(), key=lambda item: -item[1]))


def missing_share(ranks: Sequence[NDArray[np.float32]], alpha: Matte | None = None) -> float:
    """The share of what is covered (`alpha`, else everything) that no stored rank holds, 0..1."""
    held = sum(np.nan_to_num(np.asarray(coverage, np.float32)) for coverage in ranks[1::2])
    covered = np.ones(ranks[0].shape, np.float32) if alpha is None else np.clip(alpha, 0.0, 1.0)
    total = float(covered.sum(dtype=np.float64))
    lost = float(np.maximum(covered - held, 0.0).sum(dtype=np.float64))
    return lost / total if total > 0 else 0.0


def match_names(pattern: str, names: Iterable[str]) -> list[str]:
    """The names that a pattern stands for, in their order: `*` is any run (also of `/`), `?` one sign; case counts."""
    if "*" not in pattern and "?" not in pattern:
        return [name for name in names if name == pattern]
    return [name for name in names if _fits(pattern, name)]


def _fits(pattern: str, name: str) -> bool:
    """Whether a pattern stands for a name. Only the last star is ever tried anew: no pattern takes long."""
    place = at = 0
    star, tried = -1, 0
    while at < len(name):
        sign = pattern[place] if place < len(pattern) else ""
        if sign == "*":
            star, tried, place = place, at, place + 1
        elif sign in ("?", name[at]):
            place, at = place + 1, at + 1
        elif star >= 0:
            tried += 1
            place, at = star + 1, tried
        else:
            return False
    return not pattern[place:].strip("*")


def encode_ranks(shares: dict[int, NDArray[np.float32]], count: int) -> list[NDArray[np.float32]]:
    """The `count` strongest ids of every pixel as id and coverage planes in turn, strongest first.

    `shares`: id bits to coverage (H, W). The inverse of `object_matte` while no pixel holds more than `count` ids.
    """
    bits = np.array(list(shares), np.uint32)
    stack = np.stack(list(shares.values()))
    order = np.argsort(-stack, axis=0, kind="stable")[:count]
    coverage = np.take_along_axis(stack, order, axis=0)
    ids = np.where(coverage > 0, bits[order], 0).astype(np.uint32).view(np.float32)
    planes = []
    for rank in range(count):
        present = rank < len(bits)
        planes.append(ids[rank] if present else np.zeros(stack.shape[1:], np.float32))
        planes.append(coverage[rank] if present else np.zeros(stack.shape[1:], np.float32))
    return planes


def _scramble(block: int) -> int:
    return (_rotate((block * 0xCC9E2D51) & _MASK, 15) * 0x1B873593) & _MASK


def _rotate(value: int, places: int) -> int:
    return ((value << places) | (value >> (32 - places))) & _MASK

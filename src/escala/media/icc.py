"""ICC profiles of display encodings: matrix and curves, version 4.3 (ISO 15076-1), made from the published values."""

import struct
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from escala.core.balance.temperature import bradford_matrix, xy_to_xyz
from escala.core.colour.gamuts import primaries_to_xyz
from escala.core.colour.interop import Encoding

# The illuminant of the profile connection space, as the standard rounds it.
_D50 = (0.9642, 1.0, 0.8249)
_CURVE_POINTS = 4096
_COPYRIGHT = "No copyright, use freely"


@lru_cache(maxsize=16)
def icc_profile(encoding: Encoding) -> bytes:
    """The profile of an RGB display with an encoding."""
    corners = encoding.chromaticities
    adaptation = bradford_matrix(xy_to_xyz(*corners[6:]), np.array(_D50))
    colorants = adaptation @ primaries_to_xyz(corners)
    # The three add up to the illuminant exactly, so that white stays white.
    colorants *= (np.array(_D50) / colorants.sum(axis=1))[:, None]
    curve = _curve(encoding)
    tags = {
        b"desc": _text(encoding.identifier),
        b"cprt": _text(_COPYRIGHT),
        b"wtpt": _xyz(np.array(_D50)),
        b"chad": b"sf32\0\0\0\0" + b"".join(_fixed(value) for value in adaptation.ravel()),
        **{name: _xyz(colorants[:, i]) for i, name in enumerate((b"rXYZ", b"gXYZ", b"bXYZ"))},
        **dict.fromkeys((b"rTRC", b"gTRC", b"bTRC"), curve),
    }
    start = 128 + 4 + 12 * len(tags)
    table, data, places = b"", b"", dict[bytes, tuple[int, int]]()
    for name, content in tags.items():
        if content not in places:
            places[content] = start + len(data), len(content)
            data += content + b"\0" * (-len(content) % 4)
        table += name + struct.pack(">II", *places[content])
    body = struct.pack(">I", len(tags)) + table + data
    return _header(128 + len(body)) + body


def _header(size: int) -> bytes:
    return b"".join(
        (
            struct.pack(">I4sI4s4s4s", size, b"\0\0\0\0", 0x04300000, b"mntr", b"RGB ", b"XYZ "),
            struct.pack(">6H", 2026, 1, 1, 0, 0, 0),
            b"acsp" + b"\0" * 28,
            b"".join(_fixed(value) for value in _D50),
            b"\0" * 48,
        )
    )


def _fixed(value: float) -> bytes:
    """A signed number with 16 bits after the point."""
    return struct.pack(">i", round(float(value) * 65536))


def _xyz(values: NDArray[np.float64]) -> bytes:
    return b"XYZ \0\0\0\0" + b"".join(_fixed(value) for value in values)


def _text(words: str) -> bytes:
    """One record of text, in English."""
    encoded = words.encode("utf-16-be")
    return b"mluc\0\0\0\0" + struct.pack(">II2s2sII", 1, 12, b"en", b"US", len(encoded), 28) + encoded


def _curve(encoding: Encoding) -> bytes:
    """The decoding curve: parametric for power functions and sRGB, else a table."""
    if encoding.gamma is not None:
        return b"para\0\0\0\0" + struct.pack(">HH", 0, 0) + _fixed(encoding.gamma)
    if encoding.transfer in ("srgb", "srgbe"):
        numbers = (2.4, 1 / 1.055, 0.055 / 1.055, 1 / 12.92, 0.04045)
        return b"para\0\0\0\0" + struct.pack(">HH", 3, 0) + b"".join(_fixed(value) for value in numbers)
    points = np.rint(encoding.decode(np.linspace(0, 1, _CURVE_POINTS)) * 65535).astype(">u2")
    return b"curv\0\0\0\0" + struct.pack(">I", len(points)) + points.tobytes()

"""JPEG for the screen, in strips that are encoded at the same time.

Each strip ends at a restart marker (ITU-T T.81, B.2.1 and E.1.4), where decoders begin anew: the joined file holds the
pixels of one that was encoded whole.
"""

import os
import struct
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from functools import cache

import numpy as np
from numpy.typing import NDArray

_QUALITY = 88
# Rows and columns of pixels that are coded together, with full colour resolution.
_BLOCK = 8
# Strips of fewer pixels take longer to hand out than to encode.
_STRIP_PIXELS, _MOST_THREADS = 100_000, 4
# A restart interval is a number of 16 bits; and no JPEG has more rows.
_MOST_BLOCKS, _MOST_ROWS = 65_535, 65_500
_SOF, _SOS, _DRI, _RST, _EOI = 0xC0, 0xDA, 0xDD, 0xD0, b"\xff\xd9"


def encode_jpeg(pixels: NDArray[np.uint8]) -> bytes:
    """(H, W, 3) bytes, red first, as JPEG with full colour resolution."""
    height, width = pixels.shape[:2]
    count = min(height * width // _STRIP_PIXELS, _MOST_THREADS, os.cpu_count() or 1)
    if count < 2 or height > _MOST_ROWS:
        return _encode(pixels)
    across = -(-width // _BLOCK)
    down = min(-(-height // (count * _BLOCK)), _MOST_BLOCKS // across)
    rows = down * _BLOCK
    strips = list(_threads().map(_encode, (pixels[top : top + rows] for top in range(0, height, rows))))
    return _joined(strips, height, across * down)


@cache
def _threads() -> ThreadPoolExecutor:
    return ThreadPoolExecutor(_MOST_THREADS, thread_name_prefix="jpeg")


def _encode(pixels: NDArray[np.uint8]) -> bytes:
    import cv2  # many commands write no such file

    full = cv2.IMWRITE_JPEG_SAMPLING_FACTOR_444
    options = [cv2.IMWRITE_JPEG_QUALITY, _QUALITY, cv2.IMWRITE_JPEG_SAMPLING_FACTOR, full]
    done, encoded = cv2.imencode(".jpg", cv2.cvtColor(pixels, cv2.COLOR_RGB2BGR), options)
    if not done:
        raise ValueError(f"a picture of shape {pixels.shape} cannot be encoded as JPEG")
    return encoded.tobytes()


def _joined(strips: list[bytes], height: int, interval: int) -> bytes:
    """Strips as one file of `height` rows; `interval`: blocks between two restart markers."""
    places = dict(_segments(strips[0]))
    head = bytearray(strips[0][: places[_SOS]])
    struct.pack_into(">H", head, places[_SOF] + 5, height)
    scans = [strip[_scan(strip) : -len(_EOI)] for strip in strips]
    parts = [bytes(head), struct.pack(">BBHH", 0xFF, _DRI, 4, interval), strips[0][places[_SOS] : _scan(strips[0])]]
    for number, scan in enumerate(scans):
        parts += [scan, bytes((0xFF, _RST + number % 8))]
    return b"".join([*parts[:-1], _EOI])


def _segments(file: bytes) -> Iterator[tuple[int, int]]:
    """The code and the place of each segment up to the scan."""
    place, code = 2, 0
    while code != _SOS:
        code = file[place + 1]
        yield code, place
        place += 2 + _length(file, place)


def _scan(strip: bytes) -> int:
    """Where the coded pixels of a strip begin."""
    place = dict(_segments(strip))[_SOS]
    return place + 2 + _length(strip, place)


def _length(file: bytes, place: int) -> int:
    """The length that a segment states, without its marker."""
    (length,) = struct.unpack_from(">H", file, place + 2)
    return int(length)

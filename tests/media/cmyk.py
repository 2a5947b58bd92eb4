"""A JPEG file of inks, which few libraries write."""

import struct
from pathlib import Path


def write_cmyk_jpeg(path: Path, inks: tuple[int, int, int, int]) -> Path:
    """One block of 8 × 8 pixels of one cyan, magenta, yellow and black (0..255), baseline (ITU-T T.81).

    Only the first coefficient of each block is coded; every code of the table for it has four bits.
    """
    tables = _segment(0xDB, bytes(1) + bytes([1] * 64))
    frame = _segment(0xC0, struct.pack(">BHHB", 8, 8, 8, 4) + b"".join(bytes([i + 1, 0x11, 0]) for i in range(4)))
    first = _segment(0xC4, bytes(1) + bytes([0, 0, 0, 12] + [0] * 12) + bytes(range(12)))
    others = _segment(0xC4, bytes([0x10]) + bytes([1] + [0] * 15) + bytes(1))
    scan = _segment(0xDA, bytes([4]) + b"".join(bytes([i + 1, 0]) for i in range(4)) + bytes([0, 63, 0]))
    # The application segment without which readers take four channels for something else: no colour transform.
    four_inks = _segment(0xEE, bytes.fromhex("41646f6265") + struct.pack(">HHHB", 100, 0, 0, 0))
    bits = "".join(_coded(8 * (255 - ink - 128)) for ink in inks)  # inks are stored inverted
    bits += "1" * (-len(bits) % 8)
    data = bytes(int(bits[i : i + 8], 2) for i in range(0, len(bits), 8)).replace(b"\xff", b"\xff\x00")
    path.write_bytes(b"\xff\xd8" + four_inks + tables + frame + first + others + scan + data + b"\xff\xd9")
    return path


def _segment(marker: int, body: bytes) -> bytes:
    return struct.pack(">BBH", 0xFF, marker, len(body) + 2) + body


def _coded(difference: int) -> str:
    size = abs(difference).bit_length()
    value = difference if difference >= 0 else difference + (1 << size) - 1
    return f"{size:04b}" + (f"{value:0{size}b}" if size else "") + "0"

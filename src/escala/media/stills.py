"""TIFF and PNG in; PNG, TIFF and JPEG out, each file whole or not at all."""

from collections.abc import Mapping
from pathlib import Path

import cv2
import numpy as np
import OpenImageIO as oiio
from numpy.typing import NDArray

from escala.core.errors import TooLarge, UnreadableFile, choose
from escala.core.planes import Planes

from .exr import MAX_BYTES
from .whole import write_whole

READABLE = (".tif", ".tiff", ".png")


def read_still(path: Path) -> tuple[list[str], list[NDArray[np.float32]], str]:
    """Channel names, planes (H, W) of 0..1 or float values, and the stored type's name, of a TIFF or PNG file."""
    if not path.is_file():
        raise UnreadableFile(path, "no such file")
    source = oiio.ImageInput.open(str(path))
    if source is None:
        raise UnreadableFile(path, f"it cannot be read: {_last_error()}")
    try:
        spec = source.spec()
        if spec.width * spec.height * spec.nchannels * 4 > MAX_BYTES:
            raise TooLarge(path, f"the header claims a picture of {spec.width} × {spec.height}")
        pixels = source.read_image(0, 0, 0, spec.nchannels, oiio.FLOAT)
        if pixels is None:
            raise UnreadableFile(path, f"the pixels cannot be read: {source.geterror().strip() or 'cut short'}")
    finally:
        source.close()
    planes = [np.ascontiguousarray(pixels[:, :, channel]) for channel in range(spec.nchannels)]
    names = list(spec.channelnames) if spec.nchannels > 1 else ["Y"]
    return names, planes, str(spec.format)


def encode_png(pixels: NDArray[np.uint8], compression: int = 1) -> bytes:
    """(H, W, 3) bytes, red first, as PNG."""
    return _encode(".png", pixels, [cv2.IMWRITE_PNG_COMPRESSION, compression])


def encode_jpeg(pixels: NDArray[np.uint8], quality: int = 88) -> bytes:
    """(H, W, 3) bytes, red first, as JPEG with full colour resolution."""
    full = cv2.IMWRITE_JPEG_SAMPLING_FACTOR_444
    return _encode(".jpg", pixels, [cv2.IMWRITE_JPEG_QUALITY, quality, cv2.IMWRITE_JPEG_SAMPLING_FACTOR, full])


def to_bytes(planes: Planes) -> NDArray[np.uint8]:
    """Display-encoded planes 0..1 to (H, W, 3) bytes; not-a-number is black."""
    return np.ascontiguousarray(_to_integers(planes, 255).astype(np.uint8))


def write_still(path: Path, planes: Planes, bits: int, attributes: Mapping[str, str]) -> None:
    """Display-encoded planes 0..1 to PNG, TIFF (8 or 16 bits) or JPEG (8 bits), by the file's extension."""
    kind = choose("file extension", path.suffix.lower(), _DEPTHS)
    depth = bits if bits in kind else kind[0]
    pixels = np.ascontiguousarray(_to_integers(planes, (1 << depth) - 1).astype(np.uint16 if depth == 16 else np.uint8))
    spec = oiio.ImageSpec(pixels.shape[1], pixels.shape[0], 3, oiio.UINT16 if depth == 16 else oiio.UINT8)
    for name, value in attributes.items():
        spec.attribute(name, value)

    def write(unfinished: Path) -> None:
        out = oiio.ImageOutput.create(str(unfinished))
        if out is None or not out.open(str(unfinished), spec) or not out.write_image(pixels):
            raise UnreadableFile(path, f"it cannot be written: {_last_error()}")
        out.close()

    write_whole(path, write)


# Bits that each format can hold, the default first.
_DEPTHS = {".png": (16, 8), ".tif": (16, 8), ".tiff": (16, 8), ".jpg": (8,), ".jpeg": (8,)}


def _to_integers(planes: Planes, top: int) -> NDArray[np.float32]:
    scaled = np.clip(np.nan_to_num(planes.transpose(1, 2, 0), nan=0.0, posinf=1.0, neginf=0.0), 0.0, 1.0)
    return np.asarray(np.rint(scaled * np.float32(top)), np.float32)


def _encode(kind: str, pixels: NDArray[np.uint8], options: list[int]) -> bytes:
    done, encoded = cv2.imencode(kind, cv2.cvtColor(pixels, cv2.COLOR_RGB2BGR), options)
    if not done:
        raise ValueError(f"a picture of shape {pixels.shape} cannot be encoded as {kind}")
    return encoded.tobytes()


def _last_error() -> str:
    return " ".join(oiio.geterror().split())[:200] or "unknown reason"

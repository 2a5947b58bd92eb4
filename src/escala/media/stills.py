"""TIFF and PNG in; PNG, TIFF and JPEG out, each file whole or not at all."""

import os
import tempfile
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
import OpenImageIO as oiio
from numpy.typing import NDArray

from escala.core.errors import TooLarge, UnreadableFile, choose
from escala.core.planes import Planes

from .atomic_write import write_bytes
from .exr import check_claim
from .path_safety import is_file

# Of a render's passes, and of any picture from outside.
READABLE = (".tif", ".tiff", ".png")
PICTURES = (*READABLE, ".jpg", ".jpeg")


@dataclass(frozen=True)
class StillHeader:
    """What a picture file says of itself: size, channel names, the stored type's name, and "CMYK" where it has inks."""

    width: int
    height: int
    names: tuple[str, ...]
    kind: str
    told: str | None = None


def read_still_header(path: Path) -> StillHeader:
    """The header, checked: raises `UnreadableFile` or `TooLarge` before memory is taken."""
    with _opened(path) as source:
        spec = source.spec()
        check_claim(path, spec.width, spec.height, spec.nchannels)
        # What packs best packs a thousand to one: a header that claims more than that is not to be believed.
        if spec.width * spec.height * spec.channel_bytes() // 8 > _MOST_SHRINKING * max(path.stat().st_size, 4096):
            raise TooLarge(path, f"the header claims {spec.width} × {spec.height} pixels, far more than the file holds")
        names = tuple(spec.channelnames) if spec.nchannels > 1 else ("Y",)
        inks = spec.get_string_attribute("jpeg:ColorSpace") or spec.get_string_attribute("tiff:ColorSpace")
        return StillHeader(spec.width, spec.height, names, str(spec.format), "CMYK" if inks == "CMYK" else None)


def read_still(path: Path) -> tuple[list[str], list[NDArray[np.float32]], str]:
    """Channel names, planes (H, W) of 0..1 or float values, and the stored type's name, of a TIFF or PNG file."""
    header = read_still_header(path)
    with _opened(path) as source:
        pixels = source.read_image(0, 0, 0, len(header.names), oiio.FLOAT)
        if pixels is None:
            raise UnreadableFile(path, f"the pixels cannot be read: {source.geterror().strip() or 'cut short'}")
    planes = [np.ascontiguousarray(pixels[:, :, channel]) for channel in range(len(header.names))]
    return list(header.names), planes, header.kind


@contextmanager
def _opened(path: Path) -> Iterator[Any]:
    if not is_file(path):
        raise UnreadableFile(path, "no such file")
    # Colour stays as it is stored: the library would multiply it by the alpha as it stands, before it is decoded.
    as_stored = oiio.ImageSpec()
    as_stored.attribute("oiio:UnassociatedAlpha", 1)
    source = oiio.ImageInput.open(str(path), as_stored)
    if source is None:
        raise UnreadableFile(path, f"it cannot be read: {_last_error()}")
    try:
        yield source
    finally:
        source.close()


def encode_png(pixels: NDArray[np.uint8], compression: int = 1) -> bytes:
    """(H, W, 3) bytes, red first, as PNG."""
    import cv2  # many commands write no such file

    return _encode(".png", pixels, [cv2.IMWRITE_PNG_COMPRESSION, compression])


def encode_jpeg(pixels: NDArray[np.uint8], quality: int = 88) -> bytes:
    """(H, W, 3) bytes, red first, as JPEG with full colour resolution."""
    import cv2

    full = cv2.IMWRITE_JPEG_SAMPLING_FACTOR_444
    return _encode(".jpg", pixels, [cv2.IMWRITE_JPEG_QUALITY, quality, cv2.IMWRITE_JPEG_SAMPLING_FACTOR, full])


def to_bytes(planes: Planes) -> NDArray[np.uint8]:
    """Display-encoded planes 0..1 to (H, W, 3) bytes; not-a-number is black."""
    return np.ascontiguousarray(_to_integers(planes, 255).astype(np.uint8))


def write_still(path: Path, pixels: NDArray[Any], attributes: Mapping[str, str]) -> None:
    """(H, W, 3) pixels from `still_pixels` to PNG, TIFF or JPEG, by the file's extension.

    The format's library writes into memory: on a full disk some of them end the whole process.
    """
    kind = choose("file extension", path.suffix.lower(), _KINDS)
    spec = oiio.ImageSpec(pixels.shape[1], pixels.shape[0], 3, oiio.UINT16 if pixels.dtype == np.uint16 else oiio.UINT8)
    for name, value in attributes.items():
        spec.attribute(name, value)
    with _memory_file() as place:
        out = oiio.ImageOutput.create(kind.format)
        done = out is not None and out.open(str(place), spec) and out.write_image(np.ascontiguousarray(pixels))
        if not done or not out.close():
            raise UnreadableFile(path, f"it cannot be written: {_last_error()}")
        with place.open("rb") as made:
            write_bytes(path, iter(lambda: made.read(_CHUNK), b""))


@contextmanager
def _memory_file() -> Iterator[Path]:
    """A file in memory where the system has such, else in its folder for what is temporary."""
    if hasattr(os, "memfd_create") and Path("/proc/self/fd").is_dir():
        file = os.memfd_create("still")
        try:
            yield Path(f"/proc/self/fd/{file}")
        finally:
            os.close(file)
    else:
        with tempfile.TemporaryDirectory(prefix="escala-") as folder:
            yield Path(folder) / "still"


@dataclass(frozen=True)
class _Kind:
    """A format by its library's name, and the bits that it can hold, the default first."""

    format: str
    bits: tuple[int, ...]


_KINDS = {
    ".png": _Kind("png", (16, 8)),
    ".tif": _Kind("tiff", (16, 8)),
    ".tiff": _Kind("tiff", (16, 8)),
    ".jpg": _Kind("jpeg", (8,)),
    ".jpeg": _Kind("jpeg", (8,)),
}
_CHUNK = 1 << 20
# Deflate packs 1032 to one at its best.
_MOST_SHRINKING = 1100


def still_pixels(planes: Planes, suffix: str, bits: int) -> NDArray[Any]:
    """Display-encoded planes 0..1 as (H, W, 3) whole numbers of the bits that a file of this extension holds."""
    kind = choose("file extension", suffix.lower(), _KINDS)
    depth = bits if bits in kind.bits else kind.bits[0]
    return _to_integers(planes, (1 << depth) - 1).astype(np.uint16 if depth == 16 else np.uint8)


def _to_integers(planes: Planes, top: int) -> NDArray[np.float32]:
    scaled = np.clip(np.nan_to_num(planes.transpose(1, 2, 0), nan=0.0, posinf=1.0, neginf=0.0), 0.0, 1.0)
    return np.asarray(np.rint(scaled * np.float32(top)), np.float32)


def _encode(kind: str, pixels: NDArray[np.uint8], options: list[int]) -> bytes:
    import cv2

    done, encoded = cv2.imencode(kind, cv2.cvtColor(pixels, cv2.COLOR_RGB2BGR), options)
    if not done:
        raise ValueError(f"a picture of shape {pixels.shape} cannot be encoded as {kind}")
    return encoded.tobytes()


def _last_error() -> str:
    return " ".join(oiio.geterror().split())[:200] or "unknown reason"

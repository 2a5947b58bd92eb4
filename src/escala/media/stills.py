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

from escala.core.colour.interop import Encoding
from escala.core.errors import TooLarge, UnreadableFile, choose
from escala.core.planes import Planes

from .atomic_write import write_bytes
from .exr import check_claim
from .icc import icc_profile
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


def to_bytes(planes: Planes) -> NDArray[np.uint8]:
    """Display-encoded planes 0..1 to (H, W, 3) bytes; not-a-number is black."""
    return np.ascontiguousarray(_to_integers(planes, 255).astype(np.uint8))


@dataclass(frozen=True)
class StillOptions:
    """How a still is written. `encoding`: that of its colour, by which it is tagged; None leaves it untagged.

    `compression`: of TIFF. `quality`: of JPEG, 1..100. `has_alpha`: whether the last channel is unassociated alpha.
    """

    encoding: Encoding | None = None
    compression: str = "deflate"
    quality: int = 95
    has_alpha: bool = False


def write_still(path: Path, pixels: NDArray[Any], attributes: Mapping[str, str], options: StillOptions) -> None:
    """(H, W, C) pixels to PNG, TIFF or JPEG, by the file's extension: whole numbers, or floats in TIFF.

    One channel is grey. The format's library writes into memory: on a full disk some of them end the whole process.
    """
    kind = choose("file extension", path.suffix.lower(), _KINDS)
    height, width, count = pixels.shape
    spec = oiio.ImageSpec(width, height, count, _TYPES[pixels.dtype.name])
    if options.has_alpha:
        spec.alpha_channel = count - 1
        spec.attribute("oiio:UnassociatedAlpha", 1)
    for name, value in attributes.items():
        spec.attribute(name, value)
    _tag(spec, kind, options.encoding)
    if kind == "tiff":
        spec.attribute("compression", "zip" if options.compression == "deflate" else options.compression)
        spec.attribute("tiff:half", int(pixels.dtype == np.float16))
    elif kind == "jpeg":
        spec.attribute("Compression", f"jpeg:{options.quality}")
        spec.attribute("jpeg:subsampling", "4:4:4")
    with _memory_file() as place:
        out = oiio.ImageOutput.create(kind)
        done = out is not None and out.open(str(place), spec) and out.write_image(np.ascontiguousarray(pixels))
        if not done or not out.close():
            raise UnreadableFile(path, f"it cannot be written: {_last_error()}")
        with place.open("rb") as made:
            write_bytes(path, iter(lambda: made.read(_CHUNK), b""))


def _tag(spec: Any, kind: str, encoding: Encoding | None) -> None:
    """Say what the colour of a still is: cICP or sRGB in PNG where they can say it, else an ICC profile.

    The library takes untagged pixels for sRGB, and writes so: it gets the identifier, or that they are unknown.
    """
    spec.attribute("oiio:ColorSpace", "unknown")
    if encoding is None:
        return
    if kind == "png" and encoding.cicp is not None:
        spec.attribute("oiio:ColorSpace", _SRGB if encoding.cicp == (1, 13) else "unknown")
        spec.attribute("CICP", oiio.TypeDesc("int[4]"), (*encoding.cicp, 0, 1))
        return
    profile = icc_profile(encoding)
    spec.attribute("ICCProfile", oiio.TypeDesc(f"uint8[{len(profile)}]"), np.frombuffer(profile, np.uint8))


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


# Formats by the library's names.
_KINDS = {".png": "png", ".tif": "tiff", ".tiff": "tiff", ".jpg": "jpeg", ".jpeg": "jpeg"}
_TYPES = {"uint8": oiio.UINT8, "uint16": oiio.UINT16, "float16": oiio.HALF, "float32": oiio.FLOAT}
_SRGB = "srgb_rec709_display"
_CHUNK = 1 << 20
# Deflate packs 1032 to one at its best.
_MOST_SHRINKING = 1100


def still_pixels(planes: Planes, bits: int) -> NDArray[Any]:
    """Encoded planes 0..1, (C, H, W), as (H, W, C) whole numbers of 8, 10 or 16 bits; not-a-number is 0."""
    return _to_integers(planes, (1 << bits) - 1).astype(np.uint8 if bits == 8 else np.uint16)


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

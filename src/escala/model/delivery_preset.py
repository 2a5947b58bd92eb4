"""Delivery presets: which files are written of a variant, each with its format and its colour space."""

import re
import string
from typing import Annotated, Literal

from pydantic import Field, StringConstraints, field_validator, model_validator

from .numbers import Number
from .render import Document

What = Literal["result", "lights", "components", "cells", "passes", "mattes", "breakdown"]
Format = Literal["exr", "png", "tiff", "jpeg", "mkv", "mp4", "webm"]
Compression = Literal[
    "none", "rle", "zips", "zip", "piz", "pxr24", "b44", "b44a", "dwaa", "dwab", "lzw", "deflate"
]  # fmt: skip
Side = Annotated[int, Field(ge=1, le=16384)]
Factor = Annotated[Number, Field(ge=0.01, le=4)]

EXTENSIONS: dict[Format, str] = {
    "exr": ".exr", "png": ".png", "tiff": ".tif", "jpeg": ".jpg", "mkv": ".mkv", "mp4": ".mp4", "webm": ".webm",
}  # fmt: skip
# By the extensions that a file may have.
FORMATS: dict[str, Format] = {extension: kind for kind, extension in EXTENSIONS.items()} | {
    ".tiff": "tiff",
    ".jpeg": "jpeg",
}
VIDEOS: tuple[Format, ...] = ("mkv", "mp4", "webm")
WORDS = ("shot", "variant", "what", "name", "frame", "date", "revision")
_BITS: dict[Format, tuple[int, ...]] = {
    "png": (16, 8), "tiff": (16, 8), "jpeg": (8,), "mkv": (8, 10), "mp4": (8, 10), "webm": (8, 10),
}  # fmt: skip
_EXR_COMPRESSIONS = ("zip", "none", "rle", "zips", "piz", "pxr24", "b44", "b44a", "dwaa", "dwab")
_COMPRESSIONS: dict[Format, tuple[str, ...]] = {"exr": _EXR_COMPRESSIONS, "tiff": ("deflate", "none", "lzw")}
_NO_EXTENSION = re.compile(r"\.(exr|png|tiff?|jpe?g|mkv|mp4|webm)$", re.IGNORECASE)


class DeliveryFile(Document):
    """One kind of file of a delivery.

    `space`: scene-linear or encoded by name; `display` and `view`: as shown; neither: EXR in the input space, all else
    in the display and view of the variant. `names`: pattern without extension; None is the default for the kind.
    `only`: names of what is written, all when empty. `pixel_type`: EXR and TIFF; `bits`: PNG, TIFF, JPEG and video;
    `quality`: 1..100, JPEG and video. `size`: width and height in pixels, or a factor; None is full size. `alpha`:
    whether PNG and TIFF get unassociated alpha.
    """

    what: What
    format: Format
    space: str | None = None
    display: str | None = None
    view: str | None = None
    names: Annotated[str, StringConstraints(min_length=1, max_length=400)] | None = None
    only: tuple[str, ...] = Field((), max_length=2000)
    pixel_type: Literal["half", "float"] | None = None
    bits: Literal[8, 10, 16] | None = None
    compression: Compression | None = None
    quality: int | None = Field(None, ge=1, le=100)
    size: tuple[Side, Side] | Factor | None = None
    alpha: bool = False

    @field_validator("names")
    @classmethod
    def _check_names(cls, names: str | None) -> str | None:
        if names is None:
            return None
        if _NO_EXTENSION.search(names):
            raise ValueError(f"{names!r}: names carry no extension, the format adds it")
        try:
            fields = list(string.Formatter().parse(names))
        except ValueError as error:
            raise ValueError(f"{names!r} is not a pattern of names: {error}") from error
        for _, word, specification, conversion in fields:
            if word is not None and (word not in WORDS or specification or conversion):
                raise ValueError(f"{names!r}: {{{word}}} is no word of names; there are {', '.join(WORDS)}")
        return names

    @model_validator(mode="after")
    def _check(self) -> "DeliveryFile":
        if self.space is not None and self.is_displayed:
            raise ValueError("space and display or view exclude each other: choose one")
        if self.pixel_type is not None and self.format not in ("exr", "tiff"):
            raise ValueError(f"{self.format} has no pixel_type: use bits")
        if self.bits is not None and self.pixel_type is not None:
            raise ValueError("bits and pixel_type exclude each other: choose one")
        if self.bits is not None and self.bits not in _BITS.get(self.format, ()):
            known = " or ".join(map(str, sorted(_BITS.get(self.format, ()))))
            raise ValueError(f"{self.format} has {known + ' bits' if known else 'no bits: use pixel_type'}")
        if self.compression is not None and self.compression not in _COMPRESSIONS.get(self.format, ()):
            known = ", ".join(_COMPRESSIONS.get(self.format, ()))
            raise ValueError(
                f"{self.format} has {'the compressions ' + known if known else 'no choice of compression'}"
            )
        if self.quality is not None and self.format not in ("jpeg", "mp4", "webm"):
            raise ValueError(f"{self.format} is lossless and has no quality")
        if self.alpha and self.format not in ("png", "tiff", "exr"):
            raise ValueError(f"{self.format} has no alpha")
        if self.what == "passes" and self.is_video:
            raise ValueError("passes cannot be written as video")
        return self

    @property
    def is_video(self) -> bool:
        """Whether all frames go into one file."""
        return self.format in VIDEOS

    @property
    def is_displayed(self) -> bool:
        """Whether a display or view is named."""
        return self.display is not None or self.view is not None

    @property
    def is_as_shown(self) -> bool:
        """Whether pixels are display-referred."""
        return self.is_displayed or (self.space is None and self.format != "exr")

    @property
    def is_layered(self) -> bool:
        """Whether all that is written of a frame goes into one file as layers."""
        return self.format == "exr" and "{name}" not in self.pattern

    @property
    def is_float(self) -> bool:
        """Whether pixels are floating point."""
        return self.format == "exr" or self.pixel_type is not None

    @property
    def depth(self) -> int:
        """Bits of a channel of whole numbers."""
        return self.bits or _BITS[self.format][0]

    @property
    def packing(self) -> str:
        """The compression, the default of the format where none is chosen; "" where it has none."""
        return self.compression or next(iter(_COMPRESSIONS.get(self.format, ())), "")

    @property
    def pattern(self) -> str:
        """The pattern of names, without extension."""
        if self.names is not None:
            return self.names
        what = "" if self.what == "result" else "_{what}"
        name = "" if self.what == "result" or self.format == "exr" or self._is_one_video else "_{name}"
        return "{shot}_{variant}" + what + name + ("" if self.is_video else ".{frame}")

    @property
    def _is_one_video(self) -> bool:
        return self.is_video and self.what == "breakdown"


class DeliveryPreset(Document):
    """The files of a delivery."""

    escala: Literal["delivery"]
    name: Annotated[str, StringConstraints(min_length=1, max_length=200)] = "Delivery"
    files: tuple[DeliveryFile, ...] = Field(min_length=1, max_length=100)

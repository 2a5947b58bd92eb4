"""What a file says of its own colour, and the space that follows from it in a config."""

from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from .config import ColourConfig
from .gamuts import GAMUTS

# Names under which configs have the usual space of pictures in whole numbers.
ENCODED_SPACES = ("sRGB Encoded Rec.709 (sRGB)", "srgb_encoded_rec709", "srgb_tx", "texture_paint")
# Header attributes that name a space, letters only.
_NAMING = ("colorspace", "colourspace", "oiiocolorspace", "escalacolourspace")
# SMPTE ST 2065-4: files with this flag hold ACES2065-1.
_CONTAINER = "acesimagecontainerflag"


@dataclass(frozen=True)
class FileColour:
    """What a file says: primaries (CIE x, y of red, green, blue, white), a space by name, and how it is coded.

    `encoded`: whole numbers, which hold display values. `name`: the file's own.
    """

    name: str = ""
    chromaticities: tuple[float, ...] | None = None
    told: str | None = None
    encoded: bool = False


@dataclass(frozen=True)
class InputSpace:
    """The space that a file is read in, and why."""

    name: str
    reason: str


def declared_space(attributes: Mapping[str, object]) -> str | None:
    """The space that a header names in words, if it does."""
    plain = {"".join(filter(str.isalpha, name.lower())): value for name, value in attributes.items()}
    if str(plain.get(_CONTAINER, "0")) == "1":
        return "ACES2065-1"
    return next((str(plain[name]) for name in _NAMING if plain.get(name)), None)


@lru_cache(maxsize=256)
def input_space_of(config: ColourConfig, file: FileColour) -> InputSpace:
    """The space to read a file in: by its header, its name, the config's rules, or the standard's default."""
    if file.told and config.has_space(file.told):
        return InputSpace(config.space(file.told), "the header names it")
    named = config.space_named_in(file.name.rpartition(".")[0])
    if named:
        return InputSpace(named, "the file's name says so")
    ruled = config.space_by_rules(file.name) if config.own else None
    if ruled:
        return InputSpace(ruled, "a file rule of the config says so")
    if file.encoded:
        known = next((name for name in ENCODED_SPACES if config.has_space(name)), config.default_working_space)
        return InputSpace(config.space(known), "integer images and videos are treated as sRGB-encoded")
    return _by_primaries(config, file)


def _by_primaries(config: ColourConfig, file: FileColour) -> InputSpace:
    corners = file.chromaticities
    gamut = "Rec.709" if corners is None else gamut_of(corners)
    space = config.space_of_gamut(gamut or "Rec.709") or config.default_working_space
    if corners is None:
        reason = "the header names no primaries; OpenEXR's default is Rec.709"
    elif gamut is None:
        reason = "the header's primaries match no known gamut; Rec.709 is assumed"
    else:
        reason = f"the header's primaries match {gamut}"
    if file.told:
        reason = f"the header names {file.told}, which the config lacks; {reason}"
    return InputSpace(space, reason)


def gamut_of(chromaticities: tuple[float, ...]) -> str | None:
    """The gamut of GAMUTS with these primaries."""
    close = (name for name, corners in GAMUTS.items() if np.allclose(corners[:6], chromaticities[:6], atol=2e-3))
    return next(close, None)

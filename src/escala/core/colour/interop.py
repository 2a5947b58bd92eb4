"""Colour encodings by the identifiers that OpenEXR and OpenColorIO share: `transfer_gamut_scene` or `_display`."""

import re
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from .gamuts import GAMUTS, Chromaticities

_GAMUTS: dict[str, Chromaticities] = {
    "rec709": GAMUTS["Rec.709"],
    "p3d65": GAMUTS["P3-D65"],
    "rec2020": GAMUTS["Rec.2020"],
    "ap0": GAMUTS["AP0"],
    "ap1": GAMUTS["AP1"],
}
# ITU-T H.273: colour primaries; transfer characteristics of display encodings.
_PRIMARIES = {"rec709": 1, "rec2020": 9, "p3d65": 12}
_TRANSFERS = {"lin": 8, "srgb": 13, "srgbe": 13, "g22": 4, "g24": 1, "pq": 16}
_GAMMAS = {"lin": 1.0, "g18": 1.8, "g22": 2.2, "g24": 2.4, "g26": 2.6}
_IDENTIFIER = re.compile(r"(?:\w+:)?([a-z0-9]+)_([a-z0-9]+)_(scene|display)")


@dataclass(frozen=True)
class Encoding:
    """A colour encoding: its identifier, its transfer function by name, and the name of its gamut."""

    identifier: str
    transfer: str
    gamut: str

    @property
    def chromaticities(self) -> Chromaticities:
        """CIE x, y of red, green, blue and white."""
        return _GAMUTS[self.gamut]

    @property
    def cicp(self) -> tuple[int, int] | None:
        """Colour primaries and transfer characteristics of ITU-T H.273, where it has both."""
        primaries, transfer = _PRIMARIES.get(self.gamut), _TRANSFERS.get(self.transfer)
        return None if primaries is None or transfer is None else (primaries, transfer)

    def decode(self, values: NDArray[np.float64]) -> NDArray[np.float64]:
        """Encoded values 0..1 to linear light, 1 at the largest value.

        sRGB: IEC 61966-2-1. PQ: SMPTE ST 2084, relative to 10 000 cd/m².
        """
        if self.transfer in ("srgb", "srgbe"):
            return np.where(values <= 0.04045, values / 12.92, ((values + 0.055) / 1.055) ** 2.4)
        if self.transfer == "pq":
            root = values ** (1 / 78.84375)
            return np.asarray(
                (np.maximum(root - 0.8359375, 0) / (18.8515625 - 18.6875 * root)) ** (1 / 0.1593017578125)
            )
        return np.asarray(values ** _GAMMAS[self.transfer])

    @property
    def gamma(self) -> float | None:
        """The exponent of a plain power function, else None."""
        return _GAMMAS.get(self.transfer)


def encoding_of(identifier: str | None) -> Encoding | None:
    """The encoding of an identifier; None for data, and for one with an unknown transfer function or gamut."""
    found = _IDENTIFIER.fullmatch(identifier or "")
    if found is None or found[2] not in _GAMUTS or found[1] not in {*_TRANSFERS, *_GAMMAS}:
        return None
    return Encoding(found[0], found[1], found[2])

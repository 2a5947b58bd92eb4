"""Luminance and sub-sampled chroma, as OpenEXR may store colour: Y, RY = (R - Y) / Y, BY = (B - Y) / Y."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from escala.core.colour.gamuts import GAMUTS, luminance_row

LETTERS = ("Y", "RY", "BY")


def luma_chroma_to_rgb(
    luma: NDArray[np.float32],
    red_chroma: NDArray[np.float32],
    blue_chroma: NDArray[np.float32],
    chromaticities: Sequence[float] | None,
) -> list[NDArray[np.float32]]:
    """R, G and B, each (H, W), from luminance (H, W) and chroma planes that may have half the columns and rows.

    Chroma lies at even places; between them it is interpolated. Without chromaticities those of Rec.709 hold.
    """
    red_weight, green_weight, blue_weight = luminance_row(tuple(chromaticities or GAMUTS["Rec.709"]))
    full_red, full_blue = (_enlarge(plane, luma.shape) for plane in (red_chroma, blue_chroma))
    red, blue = (full_red + 1) * luma, (full_blue + 1) * luma
    green = (luma - red_weight * red - blue_weight * blue) / green_weight
    return [np.asarray(plane, np.float32) for plane in (red, green, blue)]


def _enlarge(plane: NDArray[np.float32], shape: tuple[int, ...]) -> NDArray[np.float32]:
    rows, columns = shape
    if plane.shape == shape:
        return plane
    import cv2  # few files store colour so

    across = np.arange(columns, dtype=np.float32) * (plane.shape[1] / columns)
    down = np.arange(rows, dtype=np.float32) * (plane.shape[0] / rows)
    at_x, at_y = np.meshgrid(np.minimum(across, plane.shape[1] - 1), np.minimum(down, plane.shape[0] - 1))
    source = np.ascontiguousarray(plane, np.float32)
    return np.asarray(cv2.remap(source, at_x, at_y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE), np.float32)

"""The soft view: less contrast than the ACES ones, and bright saturated light that goes to white without turning hue.

Light is brought into the display's gamut, its channels leak a little into each other, and each goes through the
response of a photoreceptor (Naka and Rushton 1966: `x^n / (x^n + s^n)`). Most of the leak is then taken back. A lone
bright channel so takes the others along and pales, as it does to the eye. The leaks were chosen by fitting: over ramps
of 24 hues and 14 stops, the hue in Oklab (Ottosson 2020) turns as little as it can.

This is the formula; the shipped config writes it in OpenColorIO's own transforms.
"""

import numpy as np
from numpy.typing import NDArray

from ..balance.levels import MIDDLE_GREY
from .gamuts import gamut_matrix

Pixels = NDArray[np.float64]

# The exponent at which contrast is decided, and the display light that middle grey becomes.
SLOPE = 1.05
GREY = 0.12
# What each channel (row) takes from red, green and blue.
LEAK = np.array([[0.898, 0.042, 0.06], [0.086, 0.841, 0.073], [0.082, 0.033, 0.885]])
TAKEN_BACK = 0.7
# The response as a table: so many steps over base-2 logarithms from LOWEST to HIGHEST.
LOWEST, HIGHEST, STEPS = -16.0, 16.0, 4096
# By display gamut: the most that a colour of AP1 lies beyond it, from grey, for red, green and blue missing (cyan,
# magenta, yellow), with a little room; up to THRESHOLD colours stay as they are. The curve is that of the ACES
# Reference Gamut Compression (AMPAS TB-2021-001), applied in the display's own primaries.
LIMITS = {"Rec.709": (1.66, 1.12, 1.17), "P3-D65": (1.37, 1.12, 1.06)}
THRESHOLD = (0.8, 0.8, 0.8)
POWER = 1.2


def soft_view(scene: Pixels, gamut: str) -> Pixels:
    """Scene-linear AP0 pixels (N, 3) as linear display light 0..1 in a gamut of LIMITS."""
    inside = compress_gamut(scene @ gamut_matrix("AP0", gamut).T, LIMITS[gamut])
    return np.clip(respond(inside @ LEAK.T) @ take_back().T, 0.0, 1.0)


def respond(light: Pixels) -> Pixels:
    """The response to light of 0 or more: GREY at middle grey, 1 at infinity."""
    half = MIDDLE_GREY * (1.0 / GREY - 1.0) ** (1.0 / SLOPE)
    raised = np.maximum(light, 2.0**LOWEST) ** SLOPE
    return np.asarray(raised / (raised + half**SLOPE))


def take_back() -> Pixels:
    """The matrix that undoes a part of the leak. (3, 3)."""
    return np.asarray(np.linalg.inv((1.0 - TAKEN_BACK) * np.eye(3) + TAKEN_BACK * LEAK), np.float64)


def compress_gamut(light: Pixels, limits: tuple[float, float, float]) -> Pixels:
    """Each channel's distance from the largest one (N, 3), brought below 1 where it is within its limit."""
    largest = light.max(axis=1, keepdims=True)
    distance = np.where(largest != 0, (largest - light) / np.where(largest != 0, np.abs(largest), 1.0), 0.0)
    threshold, limit = np.array(THRESHOLD), np.array(limits)
    scale = (limit - threshold) / (((1 - threshold) / (limit - threshold)) ** -POWER - 1) ** (1 / POWER)
    beyond = np.maximum(distance - threshold, 0.0) / scale
    compressed = threshold + scale * beyond / (1 + beyond**POWER) ** (1 / POWER)
    return np.asarray(largest - np.where(distance < threshold, distance, compressed) * np.abs(largest))

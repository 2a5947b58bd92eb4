"""Generators of values over time: noise, pulses, sweeps and ramps, repeatable on every machine."""

from functools import lru_cache
from math import factorial, floor

from .keys import smoothstep

_MASK = (1 << 64) - 1
_GOLDEN = 0x9E3779B97F4A7C15
_TURN = 6.283185307179586
# What x² is multiplied by in the series of the sine (divided by x) and the cosine, up to an eighth of a turn.
_SINE = tuple((-1.0) ** k / factorial(2 * k + 1) for k in reversed(range(9)))
_COSINE = tuple((-1.0) ** k / factorial(2 * k) for k in reversed(range(9)))


def split_mix(value: int) -> int:
    """SplitMix64 (Steele, Lea and Flood 2014) of a 64-bit number."""
    z = (value + _GOLDEN) & _MASK
    z = ((z ^ (z >> 30)) * 0xBF58476D1CE4E5B9) & _MASK
    z = ((z ^ (z >> 27)) * 0x94D049BB133111EB) & _MASK
    return z ^ (z >> 31)


def noise(place: float, seed: int, smooth: float) -> float:
    """Noise at a place, −1 to 1: random at whole numbers, between them steps, smooth by the share `smooth`."""
    whole = floor(place)
    step, there = _noise_at(whole, seed), _noise_at(whole + 1, seed)
    return step + smooth * smoothstep(place - whole) * (there - step)


@lru_cache(maxsize=1 << 14)
def _noise_at(whole: int, seed: int) -> float:
    """At a whole number, −1 to 1; the next frames need most of them again."""
    return 2 * split_mix((seed & _MASK) ^ split_mix(whole & _MASK)) / 2.0**64 - 1


def pulse(frame: float, low: float, high: float, period: float, duty: float, phase: float, soft: float) -> float:
    """High for the first `duty` of each period; the rise takes its first `soft` frames, the fall the first after it."""
    t = (frame - phase) % period
    lit = duty * period
    if soft <= 0:
        return high if t < lit else low
    level = min(t / soft, 1.0) if t < lit else max(min(lit / soft, 1.0) - (t - lit) / soft, 0.0)
    return low + level * (high - low)


def sweep(frame: float, amount: float, period: float, phase: float) -> float:
    """amount · sin(2π·(frame − phase) / period)."""
    return amount * sine_of_turn((frame - phase) / period)


def sine_of_turn(turns: float) -> float:
    """The sine of so many turns, by its series: libraries of different machines round it differently."""
    t = turns - floor(turns)
    sign = 1.0
    if t >= 0.5:
        t, sign = t - 0.5, -1.0
    if t > 0.25:
        t = 0.5 - t
    if t <= 0.125:
        x = _TURN * t
        return sign * x * _series(_SINE, x * x)
    x = _TURN * (0.25 - t)
    return sign * _series(_COSINE, x * x)


def _series(factors: tuple[float, ...], square: float) -> float:
    """The sum of a power series, the small terms first."""
    total = 0.0
    for factor in factors:
        total = total * square + factor
    return total


def ramp(frame: float, start_value: float, end_value: float, start: float, end: float) -> float:
    """Straight from one value to another between two frames, held outside."""
    if frame <= start:
        return start_value
    if frame >= end:
        return end_value
    return start_value + (frame - start) / (end - start) * (end_value - start_value)

"""Steps run one after another over blocks of pixels that fit the first caches: many cost little more than one."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..balance.levels import MIDDLE_GREY
from ..errors import ShapeError
from ..kernels import addresses_of, carray, float32_pointer, inlined_kernel, kernel, prange, serial_kernel
from ..planes import Matte, Planes, as_colour, as_planes
from .powers import exp2_row, log2_row, power_row
from .steps import CDL, CDL_LUMA, CONTRAST, CURVES, GAIN, HUE, MATRIX, NUMBERS, RANGE, ROLL_OFF, TOE_STOPS, Step

_BLOCK = 2048
_ZERO, _ONE, _INFINITY = np.float32(0.0), np.float32(1.0), np.float32(np.inf)
# Below this alpha colour is never divided by: there may be some where nothing covers.
LEAST_ALPHA = np.float32(1e-4)


@dataclass(frozen=True)
class Laid:
    """A step as it is applied to: weakened by an opacity, and by a matte (H, W) where that is given."""

    step: Step
    opacity: float = 1.0
    matte: Matte | None = None


def run_steps(planes: Planes, steps: Sequence[Laid], alpha: Matte | None = None) -> Planes:
    """Each step in turn: `in + o * (f(in) - in)`, o its opacity times its matte. (3, H, W).

    On unassociated colour where the step is not linear and `alpha` (H, W) is given. Exactly `f(in)` where o is 1, and
    `in` where it is 0. A pixel of which a channel is infinite or no number passes. Raises `ShapeError`.
    """
    source = as_colour(planes)
    if not steps:
        return source
    covers = [as_planes(laid.matte) for laid in steps if laid.matte is not None]
    divisors = [] if alpha is None or all(laid.step.linear for laid in steps) else [_divisor(alpha)]
    for cover in (*covers, *divisors):
        if cover.shape != source.shape[1:]:
            raise ShapeError(f"a matte of shape {cover.shape} does not fit planes of shape {source.shape}")
    places = iter(addresses_of(covers).tolist())
    mattes = np.array([0 if laid.matte is None else next(places) for laid in steps], np.int64)
    divisor = int(addresses_of(divisors)[0]) if divisors else 0
    out = np.empty_like(source)
    _run(source.reshape(3, -1), *_table(steps), mattes, np.int64(divisor), out.reshape(3, -1))
    return out


def lay_picture(
    planes: Planes,
    function: Callable[[Planes], Planes],
    opacity: float = 1.0,
    alpha: Matte | None = None,
    matte: Matte | None = None,
) -> Planes:
    """As `run_steps`, of one function of the whole picture. (3, H, W)."""
    source = as_colour(planes)
    shares = np.full(source.shape[1:], opacity, np.float32)
    if matte is not None:
        shares *= as_planes(matte)
    divisor = np.ones_like(shares) if alpha is None else _divisor(alpha)
    straight = source if alpha is None else np.asarray(source / divisor)
    changed = as_colour(function(straight), source)
    out = straight.copy()
    _blend(out.reshape(3, -1), changed.reshape(3, -1), shares.reshape(-1))
    if alpha is not None:
        _multiply(out.reshape(3, -1), divisor.reshape(-1), source.reshape(3, -1), shares.reshape(-1))
    return out


def _divisor(alpha: Matte) -> Matte:
    return as_planes(np.where((alpha > LEAST_ALPHA) & (alpha < 1.0), alpha, np.float32(1.0)))


def _table(steps: Sequence[Laid]) -> tuple[NDArray[np.int64], NDArray[np.float32], NDArray[np.float32]]:
    """Codes (n, 2) with what is linear; numbers (n, NUMBERS), the last two the opacity and where the table begins."""
    codes = np.array([(laid.step.code, laid.step.linear) for laid in steps], np.int64)
    numbers, table = np.zeros((len(steps), NUMBERS), np.float32), list[float]()
    for row, laid in zip(numbers, steps, strict=True):
        row[: len(laid.step.numbers)] = laid.step.numbers
        row[-2:] = laid.opacity, len(table)
        table += laid.step.table
    return codes, numbers, np.array(table, np.float32)


@kernel
def _run(source, codes, numbers, table, mattes, divisor, out):  # type: ignore[no-untyped-def]
    count = source.shape[1]
    for job in prange((count + _BLOCK - 1) // _BLOCK):
        first = np.int64(job) * _BLOCK
        size = min(_BLOCK, count - first)
        # Rows of arrays of their own: of a part of a larger array the compiler would not know that they are in a row.
        now, after, before = (
            np.empty((3, size), np.float32),
            np.empty((3, size), np.float32),
            np.empty((3, size), np.float32),
        )
        room = np.empty(size, np.float32)
        bits = room.view(np.int32)
        now[:] = source[:, first : first + size]
        for step in range(codes.shape[0]):
            divided = divisor != 0 and codes[step, 1] == 0
            if divided:
                before[:] = now
                _divide(now, _row_at(divisor, first, size))
            _step(codes[step, 0], numbers[step], table, now, after, room, bits)
            if mattes[step] != 0:
                room[:] = _row_at(mattes[step], first, size)
                for i in range(size):
                    room[i] *= numbers[step, NUMBERS - 2]
            else:
                room[:] = numbers[step, NUMBERS - 2]
            _blend(now, after, room)
            if divided:
                _multiply(now, _row_at(divisor, first, size), before, room)
        out[:, first : first + size] = now


@inlined_kernel
def _row_at(address, first, size):  # type: ignore[no-untyped-def]
    return carray(float32_pointer(address + np.int64(4) * first), (size,))


@serial_kernel
def _divide(colour, divisor):  # type: ignore[no-untyped-def]
    for channel in range(3):
        for i in range(divisor.size):
            colour[channel, i] /= divisor[i]


@serial_kernel
def _multiply(colour, divisor, before, shares):  # type: ignore[no-untyped-def]
    """Kernel part: associated again; what no share changes is what it was, to the bit."""
    for channel in range(3):
        for i in range(divisor.size):
            changed = colour[channel, i] * divisor[i]
            colour[channel, i] = changed if shares[i] != 0 else before[channel, i]


@serial_kernel
def _blend(now, after, shares):  # type: ignore[no-untyped-def]
    for i in range(shares.size):
        red, green, blue, share = now[0, i], now[1, i], now[2, i], shares[i]
        stays = (
            (share == _ZERO) | (not abs(red) < _INFINITY) | (not abs(green) < _INFINITY) | (not abs(blue) < _INFINITY)
        )
        whole = share == _ONE
        mixed_red = after[0, i] if whole else red + share * (after[0, i] - red)
        mixed_green = after[1, i] if whole else green + share * (after[1, i] - green)
        mixed_blue = after[2, i] if whole else blue + share * (after[2, i] - blue)
        now[0, i] = red if stays else mixed_red
        now[1, i] = green if stays else mixed_green
        now[2, i] = blue if stays else mixed_blue


@serial_kernel
def _step(code, numbers, table, now, after, room, bits):  # type: ignore[no-untyped-def]
    """Kernel part: `after = f(now)` by the code of a step."""
    if code == GAIN:
        for channel in range(3):
            for i in range(room.size):
                after[channel, i] = numbers[channel] * now[channel, i]
    elif code == MATRIX:
        _mix(numbers, now, after)
    elif code == CONTRAST:
        for channel in range(3):
            power_row(now[channel], numbers[0], numbers[1], numbers[2], room, bits, after[channel])
    elif code == CDL:
        _cdl(numbers, now, after, room, bits)
    elif code == RANGE:
        _range(numbers, now, after, room, bits)
    elif code == CURVES:
        _curves(numbers, table[np.int64(numbers[NUMBERS - 1]) :], now, after, room, bits)
    elif code == ROLL_OFF:
        _roll_off(numbers, now, after, room, bits)
    elif code == HUE:
        turn_hue(now, numbers[0], numbers[1], numbers[2], after)


@serial_kernel
def _mix(matrix, now, after):  # type: ignore[no-untyped-def]
    for row in range(3):
        for i in range(now.shape[1]):
            after[row, i] = (
                matrix[3 * row] * now[0, i] + matrix[3 * row + 1] * now[1, i] + matrix[3 * row + 2] * now[2, i]
            )


_LUMA_RED, _LUMA_GREEN, _LUMA_BLUE = (np.float32(weight) for weight in CDL_LUMA)


@serial_kernel
def _cdl(numbers, now, after, room, bits):  # type: ignore[no-untyped-def]
    saturation, clamps = numbers[9], numbers[10] != 0
    for channel in range(3):
        slope, offset, power = numbers[channel], numbers[3 + channel], numbers[6 + channel]
        row = after[channel]
        for i in range(row.size):
            row[i] = now[channel, i] * slope + offset
        if clamps:
            _clamp(row)
        if power != _ONE:
            raised = np.empty(row.size, np.float32)
            power_row(row, power, _ONE, _ONE, room, bits, raised)
            row[:] = raised
    if saturation != _ONE:
        for i in range(room.size):
            luma = _LUMA_RED * after[0, i] + _LUMA_GREEN * after[1, i] + _LUMA_BLUE * after[2, i]
            after[0, i] = luma + saturation * (after[0, i] - luma)
            after[1, i] = luma + saturation * (after[1, i] - luma)
            after[2, i] = luma + saturation * (after[2, i] - luma)
    if clamps:
        for channel in range(3):
            _clamp(after[channel])


@serial_kernel
def _clamp(row):  # type: ignore[no-untyped-def]
    for i in range(row.size):
        row[i] = min(max(row[i], _ZERO), _ONE)


@serial_kernel
def _range(numbers, now, after, room, bits):  # type: ignore[no-untyped-def]
    for channel in range(3):
        row = after[channel]
        for i in range(row.size):
            row[i] = (now[channel, i] - numbers[0]) * numbers[1]
        if numbers[2] != _ONE:
            raised = np.empty(row.size, np.float32)
            power_row(row, numbers[2], _ONE, _ONE, room, bits, raised)
            row[:] = raised
        for i in range(row.size):
            row[i] = row[i] * numbers[3] + numbers[4]


_GREY_STOPS = np.float32(np.log2(MIDDLE_GREY))
_TOE = np.float32(MIDDLE_GREY * 2.0**TOE_STOPS)


@serial_kernel
def _curves(numbers, table, now, after, room, bits):  # type: ignore[no-untyped-def]
    for channel in range(3):
        after[channel] = now[channel]
        for place in (numbers[channel], numbers[3]):
            if place >= 0:
                _curve(table[np.int64(place) :], after[channel], room, bits)


@serial_kernel
def _curve(curve, row, room, bits):  # type: ignore[no-untyped-def]
    """Kernel part: a row of light through one curve."""
    stops = np.empty(row.size, np.float32)
    stops[:] = row
    log2_row(stops, room, bits)
    share, first, low, rise, last, high, fall = curve[0], curve[1], curve[2], curve[3], curve[4], curve[5], curve[6]
    for i in range(row.size):
        x = stops[i] - _GREY_STOPS
        room[i] = x
        stops[i] = low + rise * (x - first) if x < first else high + fall * max(x - last, _ZERO)
    # Piece by piece over the whole row: a search for each pixel would be many times slower.
    for piece in range(np.int64(curve[7])):
        at = 8 + 5 * piece
        begin, c3, c2, c1, c0 = curve[at], curve[at + 1], curve[at + 2], curve[at + 3], curve[at + 4]
        for i in range(row.size):
            t = room[i] - begin
            y = ((c3 * t + c2) * t + c1) * t + c0
            stops[i] = y if (t >= _ZERO) & (room[i] < last) else stops[i]
    for i in range(row.size):
        stops[i] += _GREY_STOPS
    exp2_row(stops, room, bits)
    for i in range(row.size):
        row[i] = stops[i] if row[i] > _TOE else row[i] * share


@serial_kernel
def _roll_off(numbers, now, after, room, bits):  # type: ignore[no-untyped-def]
    start, span = numbers[0], numbers[1] - numbers[0]
    scale = np.float32(-1.4426950408889634) / span
    largest = np.empty(room.size, np.float32)
    fallen = np.empty(room.size, np.float32)
    for i in range(room.size):
        largest[i] = max(max(now[0, i], now[1, i]), now[2, i])
        fallen[i] = max(largest[i] - start, _ZERO) * scale
    exp2_row(fallen, room, bits)
    for i in range(room.size):
        share = (start + span * (_ONE - fallen[i])) / largest[i] if largest[i] > start else _ONE
        for channel in range(3):
            after[channel, i] = now[channel, i] * share


# What lies nearer together than this has no hue: one divided by it is no number.
_LEAST_SPAN = np.float32(1e-37)
_SIX, _THREE, _TWO, _FOUR = np.float32(6.0), np.float32(3.0), np.float32(2.0), np.float32(4.0)


@inlined_kernel
def _hexagon(place, depth, bright):  # type: ignore[no-untyped-def]
    """Kernel part: a channel whose own place is `place` sixths away, 0..12."""
    away = place - _SIX if place >= _SIX else place
    share = min(max(abs(away - _THREE) - _ONE, _ZERO), _ONE)
    return bright * (_ONE - depth + depth * share)


@serial_kernel
def turn_hue(colour, turn, saturation, value, out):  # type: ignore[no-untyped-def]
    """Kernel part: colours (3, N) turned by sixths of a circle on the hexagon, saturation and value multiplied.

    What has no place in it, for it is black, negative or no number, stays.
    """
    for i in range(colour.shape[1]):
        red, green, blue = colour[0, i], colour[1, i], colour[2, i]
        top, least = max(max(red, green), blue), min(min(red, green), blue)
        stays = (not least >= _ZERO) | (not top > _ZERO) | (not top < _INFINITY)
        span = top - least
        step = _ONE / span if span > _LEAST_SPAN else _ZERO
        place = _FOUR + (red - green) * step
        place = _TWO + (blue - red) * step if top == green else place
        place = (green - blue) * step if top == red else place
        place = place + turn if span > _ZERO else turn
        place = place - _SIX * np.floor(place / _SIX)
        depth = min(span / top * saturation, _ONE)
        bright = top * value
        out[0, i] = red if stays else _hexagon(place, depth, bright)
        out[1, i] = green if stays else _hexagon(place + _FOUR, depth, bright)
        out[2, i] = blue if stays else _hexagon(place + _TWO, depth, bright)

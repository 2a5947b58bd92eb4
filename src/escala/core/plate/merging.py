"""Layers of several renders merged by depth, pixel by pixel, each by its covered share.

A renderer gives one depth to a pixel, though both sides of an edge may be seen in it. Such pixels are parted into a
nearer and a farther fragment by the colours beside them; all fragments of a pixel are composited from front to back.
Where two surfaces cross within a pixel, each is in front for its share of it, by the slopes of their depths.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..kernels import kernel, prange, serial_kernel
from ..planes import Matte, Planes, as_colour, as_planes
from .operators import Layer

# Fragments of a layer at a pixel: colour, alpha, distance, and the slopes of the distance across and down.
_VALUES = 7
_ALPHA, _DISTANCE, _ACROSS, _DOWN = 3, 4, 5, 6
# A step of distance is an edge where it is so much of the nearer distance, and so many times the slope beside it.
_JUMP, _STEEPER = 0.02, 4.0
# Shares of a pixel nearer to none or all than this are none or all.
_MIXED = 0.02
# Pixels around each that are looked at.
MERGE_REACH = 3


@dataclass(frozen=True)
class DepthLayer:
    """An associated picture with a distance for each pixel, (H, W), in scene units; infinite where nothing is."""

    layer: Layer
    distance: Planes


def merge_by_depth(layers: Sequence[DepthLayer]) -> Layer:
    """Layers composited by depth; of equal distances the later one is in front.

    Where only one of them covers a pixel, its values stay to the bit.
    """
    parted = [_fragments(each) for each in layers]
    height, width = layers[0].layer.alpha.shape
    fragments = np.concatenate(parted[::-1])
    wholes = np.stack([np.concatenate([e.layer.colour, e.layer.alpha[None]]) for e in layers[::-1]])
    out, alpha = np.empty((3, height, width), np.float32), np.empty((height, width), np.float32)
    _composite(fragments, as_planes(wholes), out, alpha)
    return Layer(out, alpha)


def _fragments(layer: DepthLayer) -> NDArray[np.float32]:
    """The two fragments of each pixel of a layer, (2, 7, H, W), the nearer first; alpha 0 where there is none."""
    colour, alpha = as_colour(layer.layer.colour), as_planes(layer.layer.alpha)
    out = np.zeros((2, _VALUES, *alpha.shape), np.float32)
    _part(colour, alpha, _carried_on(as_planes(layer.distance), alpha), out)
    return out


def _carried_on(distance: Planes, alpha: Matte) -> Planes:
    """Distances, where something covers a pixel whose middle it misses those of the nearest neighbour that has one."""
    out = np.empty_like(distance)
    _carry_on(distance, alpha, out)
    return out


@kernel
def _carry_on(distance, alpha, out):  # type: ignore[no-untyped-def]
    height, width = alpha.shape
    for row in prange(height):
        y = np.int64(row)
        for x in range(width):
            found = distance[y, x]
            if alpha[y, x] > 0 and not np.isfinite(found):
                for reach in range(1, 3):
                    for k in range((2 * reach + 1) * (2 * reach + 1)):
                        v, u = y + k // (2 * reach + 1) - reach, x + k % (2 * reach + 1) - reach
                        is_there = 0 <= v < height and 0 <= u < width and np.isfinite(distance[v, u])
                        if is_there and not distance[v, u] >= found:
                            found = distance[v, u]
                    if np.isfinite(found):
                        break
            out[y, x] = found


@serial_kernel
def _at(plane, y, x):  # type: ignore[no-untyped-def]
    """Kernel part: a pixel, edge pixels carried on."""
    return plane[min(max(y, 0), plane.shape[0] - 1), min(max(x, 0), plane.shape[1] - 1)]


@serial_kernel
def _slope(distance, y, x, down, across):  # type: ignore[no-untyped-def]
    """Kernel part: how distance changes to the next pixel: the smaller of both sides, which crosses no edge."""
    own = distance[y, x]
    ahead, behind = _at(distance, y + down, x + across) - own, own - _at(distance, y - down, x - across)
    if not np.isfinite(ahead):
        ahead = behind
    if not np.isfinite(behind):
        behind = ahead
    if not np.isfinite(ahead):
        return np.float32(0.0)
    return ahead if abs(ahead) < abs(behind) else behind


@serial_kernel
def _is_edge(near, far, slope):  # type: ignore[no-untyped-def]
    """Kernel part: whether distances of neighbours are those of two surfaces."""
    return far - near > _JUMP * abs(near) and far - near > _STEEPER * abs(slope)


@kernel
def _part(colour, alpha, distance, out):  # type: ignore[no-untyped-def]
    height, width = alpha.shape
    for row in prange(height):
        y = np.int64(row)
        for x in range(width):
            own = distance[y, x]
            front = out[0, :, y, x]
            front[0], front[1], front[2] = colour[0, y, x], colour[1, y, x], colour[2, y, x]
            front[_ALPHA], front[_DISTANCE] = alpha[y, x], own
            front[_ACROSS], front[_DOWN] = _slope(distance, y, x, 0, 1), _slope(distance, y, x, 1, 0)
            out[1, _DISTANCE, y, x] = np.inf
            if alpha[y, x] <= 0 or not np.isfinite(own):
                continue
            # The steepest edge beside the pixel, and on which side of it the pixel lies.
            best, down, across = np.float32(0.0), 0, 0
            for way in range(4):
                step_down, step_across = (0 if way < 2 else 2 * (way % 2) - 1), (2 * (way % 2) - 1 if way < 2 else 0)
                v, u = y + step_down, x + step_across
                if not (0 <= v < height and 0 <= u < width) or alpha[v, u] <= 0 or not np.isfinite(distance[v, u]):
                    continue
                other, slope = distance[v, u], front[_ACROSS] if way < 2 else front[_DOWN]
                if _is_edge(min(own, other), max(own, other), slope) and abs(other - own) > best:
                    best, down, across = abs(other - own), step_down, step_across
            if best > 0:
                _part_pixel(colour, alpha, distance, y, x, down, across, out)


@serial_kernel
def _part_pixel(colour, alpha, distance, y, x, down, across, out):  # type: ignore[no-untyped-def]
    """Kernel part: a pixel at an edge as two fragments, by the colours two pixels beyond and one pixel before it."""
    is_near = distance[y, x] < distance[y + down, x + across]
    height, width = alpha.shape
    # One pixel on, the edge is not mixed into the other side; where that ends, the neighbour itself.
    beyond_y, beyond_x = y + down, x + across
    next_y, next_x = y + 2 * down, x + 2 * across
    is_there = 0 <= next_y < height and 0 <= next_x < width and alpha[next_y, next_x] > 0
    other = distance[beyond_y, beyond_x]
    if is_there and abs(distance[next_y, next_x] - other) < _JUMP * other:
        beyond_y, beyond_x = next_y, next_x
    before_y, before_x = y - down, x - across
    if not (0 <= before_y < height and 0 <= before_x < width):
        return
    if abs(distance[before_y, before_x] - distance[y, x]) > _JUMP * distance[y, x] or alpha[before_y, before_x] <= 0:
        before_y, before_x = y, x
    near_y, near_x, far_y, far_x = before_y, before_x, beyond_y, beyond_x
    if not is_near:
        near_y, near_x, far_y, far_x = beyond_y, beyond_x, before_y, before_x
    along, length = 0.0, 0.0
    for k in range(4):
        near = colour[k, near_y, near_x] if k < 3 else alpha[near_y, near_x]
        far = colour[k, far_y, far_x] if k < 3 else alpha[far_y, far_x]
        own = colour[k, y, x] if k < 3 else alpha[y, x]
        along += (own - far) * (near - far)
        length += (near - far) * (near - far)
    share = min(1.0, max(0.0, along / length)) if length > 1e-12 else (1.0 if is_near else 0.0)
    if not np.isfinite(share) or (share > 1.0 - _MIXED and is_near) or (share < _MIXED and not is_near):
        return
    front, back = out[0, :, y, x], out[1, :, y, x]
    for k in range(4):
        far = colour[k, far_y, far_x] if k < 3 else alpha[far_y, far_x]
        front[k] -= np.float32(1.0 - share) * far
        back[k] = far
    front[_ALPHA] = np.float32(share) * alpha[near_y, near_x]
    back[_DISTANCE] = distance[y + down, x + across] if is_near else distance[y, x]
    front[_DISTANCE] = distance[y, x] if is_near else distance[y + down, x + across]


@serial_kernel
def _share_in_front(gap, steep, gentle):  # type: ignore[no-untyped-def]
    """Kernel part: the part of a pixel in which a difference stays positive that is `gap` in its middle.

    Its slopes along both axes are `steep` and `gentle`: the area of a square on one side of a line.
    """
    if 2.0 * gap <= steep - gentle:
        return 0.5 + gap / steep
    left = 0.5 * (steep + gentle) - gap
    return 1.0 - left * left / (2.0 * steep * gentle)


@kernel
def _composite(fragments, wholes, out, out_alpha):  # type: ignore[no-untyped-def]
    """Fragments (2n, 7, H, W) from front to back; earlier ones are in front at equal distances.

    `wholes`: colour and alpha of the layers, (n, 4, H, W), of which every two fragments are parts.
    """
    count, height, width = fragments.shape[0], out.shape[1], out.shape[2]
    for row in prange(height):
        y = np.int64(row)
        order = np.empty(count, np.int64)
        for x in range(width):
            used = 0
            for i in range(count):
                values = fragments[i, :, y, x]
                if values[_ALPHA] == 0 and values[0] == 0 and values[1] == 0 and values[2] == 0:
                    continue
                place = used
                while place > 0 and fragments[order[place - 1], _DISTANCE, y, x] > fragments[i, _DISTANCE, y, x]:
                    order[place] = order[place - 1]
                    place -= 1
                order[place] = i
                used += 1
            is_alone = used > 0
            for i in range(1, used):
                is_alone = is_alone and order[i] // 2 == order[0] // 2
            if is_alone:
                whole = wholes[order[0] // 2, :, y, x]
                out[0, y, x], out[1, y, x], out[2, y, x] = whole[0], whole[1], whole[2]
                out_alpha[y, x] = whole[3]
                continue
            red, green, blue, open_share = 0.0, 0.0, 0.0, 1.0
            i = 0
            while i < used:
                one = order[i]
                first, both = fragments[one, :, y, x], False
                if i + 1 < used and first[_ALPHA] > 0:
                    second = fragments[order[i + 1], :, y, x]
                    gap = second[_DISTANCE] - first[_DISTANCE]
                    across, down = abs(second[_ACROSS] - first[_ACROSS]), abs(second[_DOWN] - first[_DOWN])
                    both = order[i + 1] // 2 != one // 2 and np.isfinite(gap) and gap < 0.5 * (across + down)
                    if both:
                        # The nearer one is in front for this share of the pixel.
                        share = _share_in_front(gap, max(across, down), min(across, down))
                        rear, fore = 1.0 - first[_ALPHA] * share, 1.0 - second[_ALPHA] * (1.0 - share)
                        red += open_share * (first[0] * fore + second[0] * rear)
                        green += open_share * (first[1] * fore + second[1] * rear)
                        blue += open_share * (first[2] * fore + second[2] * rear)
                        open_share *= (1.0 - first[_ALPHA]) * (1.0 - second[_ALPHA])
                        i += 2
                if not both:
                    red += open_share * first[0]
                    green += open_share * first[1]
                    blue += open_share * first[2]
                    open_share *= 1.0 - first[_ALPHA]
                    i += 1
            out[0, y, x], out[1, y, x], out[2, y, x] = red, green, blue
            out_alpha[y, x] = 1.0 - open_share

"""What is wrong with the pixels of a pass for what it is: coding, steps, filtered or shifted data, reversed depth."""

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from ..colour.transfer import srgb_decode, srgb_encode
from ..planes import Planes
from ..roles import PassRole, Role
from .diagnostics import Diagnostic
from .fireflies import count_fireflies

_STEPS = 255
_FEWEST_LEVELS = 12
_SURE_SHARE = 0.998
_LARGEST_SAMPLE = 60_000


def check_pass(role: PassRole, planes: Planes, alpha: Planes | None, encoded: bool = False) -> list[Diagnostic]:
    """Findings from pixels of a pass (C, H, W), from a band of it as well; `alpha` (H, W) where the render has one.

    `encoded`: the file is of a kind that holds display values, and is read as such.
    """
    found: list[Diagnostic] = []
    if role.is_colour:
        found += _coding(planes, encoded)
        found += _fireflies(planes)
    for check in CHECKS.get(role.role, ()):
        found += check(planes, alpha)
    return found


def _fireflies(planes: Planes) -> list[Diagnostic]:
    count, place = count_fireflies(planes[:3])
    if not count or count > planes[0].size // 500:  # that many are noise or stars, not accidents
        return []
    text = f"{count} pixels are far brighter than their neighbours: fireflies. Suppress them, or keep them if intended."
    return [Diagnostic("fireflies", text, place=place, value=float(count), repair="fireflies")]


def _coding(planes: Planes, encoded: bool) -> list[Diagnostic]:
    """Whether values stand on the 255 steps of an 8-bit file, and under which curve."""
    every = planes[:3].ravel()
    values: NDArray[np.float64] = every[:: max(1, every.size // _LARGEST_SAMPLE)].astype(np.float64)
    values = values[np.isfinite(values) & (values > 0) & (values <= 1.0)]
    if values.size < 200:
        return []
    if encoded:
        values = srgb_decode(values)
    for code, curve, text, repair in _CODINGS:
        steps = curve(values) * _STEPS
        rounding = np.abs(curve(np.asarray(values * (1 + 2.0**-11))) * _STEPS - steps) + 1e-4
        on_steps = np.abs(steps - np.rint(steps)) <= np.minimum(rounding, 0.2)
        if on_steps.mean() >= _SURE_SHARE and np.unique(np.rint(steps)).size >= _FEWEST_LEVELS:
            return [Diagnostic(code, text, value=float(on_steps.mean()), repair=repair)]
    return []


_CODINGS: tuple[tuple[str, Callable[[NDArray[np.float64]], NDArray[np.float64]], str, str | None], ...] = (
    (
        "encoded",
        lambda values: values,
        "Display-encoded 8-bit values, not scene-linear light. Decode it.",
        "decode",
    ),
    (
        "eight_bit",
        srgb_encode,
        "Only 256 levels, from an 8-bit source: banding when brightened. Render it as half or float.",
        None,
    ),
    (
        "encoded_twice",
        srgb_decode,
        "It was display-encoded twice and looks washed out. Decode it.",
        "decode",
    ),
)


def _depth_filtered(planes: Planes, alpha: Planes | None) -> list[Diagnostic]:
    """Where depth jumps between two flat places, an unfiltered pass has no values in between."""
    depth = planes[0].astype(np.float64)
    a, b, c, d, e = (depth[:, i : depth.shape[1] - 4 + i] for i in range(5))
    jump = np.abs(d - b)
    flat = (np.abs(b - a) < 0.02 * jump) & (np.abs(e - d) < 0.02 * jump)
    edge = flat & (jump > 0.2 * np.minimum(np.abs(b), np.abs(d))) & np.isfinite(jump) & (jump > 0)
    count = int(edge.sum())
    if count < 20:
        return []
    share = (c - b)[edge] / (d - b)[edge]
    between = float(((share > 0.05) & (share < 0.95)).mean())
    if between < 0.4:
        return []
    y, x = np.argwhere(edge)[0]
    text = (
        f"{between:.0%} of its edges hold depths between both sides: the pass was filtered. Render depth unfiltered, "
        "or defocus and haze leave a rim."
    )
    return [Diagnostic("depth_filtered", text, place=(int(x) + 2, int(y)), value=between)]


def _depth_reversed(planes: Planes, alpha: Planes | None) -> list[Diagnostic]:
    """Background that lies nearer than everything in front of it."""
    depth = planes[0]
    finite = np.isfinite(depth)
    if alpha is None or not finite.any() or float(depth[finite].max()) > 1.0:
        return []
    back, front = depth[finite & (alpha <= 0.0)], depth[finite & (alpha >= 1.0)]
    if back.size < 50 or front.size < 50 or float(back.max()) > 0.0 or float(front.min()) <= 0.0:
        return []
    text = "Depth decreases with distance and the background is 0: it is reversed. Reverse it."
    return [Diagnostic("depth_reversed", text, repair="reverse_depth")]


def _depth_stepped(planes: Planes, alpha: Planes | None) -> list[Diagnostic]:
    """Depth on few and even steps, as whole numbers of 8 bits leave it."""
    depth = planes[0][np.isfinite(planes[0])].astype(np.float64)
    levels = np.unique(depth[:: max(1, depth.size // _LARGEST_SAMPLE)])
    if not _FEWEST_LEVELS <= levels.size <= _STEPS + 1 or depth.size < 40 * levels.size:
        return []
    gaps = np.diff(levels)
    step = float(gaps.min())
    if np.abs(gaps / step - np.rint(gaps / step)).max() > 0.05 or levels[-1] - levels[0] > 300 * step:
        return []
    text = f"Depth has only {levels.size} levels, from 8 bits: visible in defocus and haze. Write it as float."
    return [Diagnostic("depth_stepped", text, value=float(levels.size))]


def _unassociated(planes: Planes, alpha: Planes | None) -> list[Diagnostic]:
    """Whether colour at half-covered edges is as bright as beside them, so that alpha was not multiplied in."""
    if alpha is None or planes.shape[0] < 3:
        return []
    light = planes[:3].sum(axis=0)
    inner, edge, outer = (alpha[:, i : alpha.shape[1] - 2 + i] for i in range(3))
    solid, soft, beyond = (light[:, i : light.shape[1] - 2 + i] for i in range(3))
    for near, behind, full, none in ((solid, beyond, inner, outer), (beyond, solid, outer, inner)):
        # Only where nothing lies behind: an environment would be seen through the edge.
        chosen = (edge > 0.15) & (edge < 0.85) & (full >= 0.97) & (none <= 0.03) & (near > 1e-3)
        chosen &= (behind < 0.01 * near) & np.isfinite(soft) & np.isfinite(near)
        if chosen.sum() < 20:
            continue
        share = soft[chosen] / near[chosen]
        if np.median(np.abs(share - 1)) < 0.5 * np.median(np.abs(share - edge[chosen])):
            text = (
                "Colour is not multiplied by alpha at edges: alpha is unassociated, edges would show a bright rim. "
                "Render with associated alpha, or set alpha to unassociated."
            )
            return [Diagnostic("alpha_unassociated", text, value=float(np.median(share)))]
    return []


def _normals(planes: Planes, alpha: Planes | None) -> list[Diagnostic]:
    if planes.shape[0] < 3:
        return []
    length = np.sqrt((planes[:3].astype(np.float64) ** 2).sum(axis=0))
    held = np.isfinite(length) & (length > 0.02)
    if held.sum() < 200:
        return []
    if float(np.nanmin(planes[:3])) >= 0.0:
        shifted = np.sqrt(((planes[:3].astype(np.float64) * 2 - 1) ** 2).sum(axis=0))[held]
        if float((np.abs(shifted - 1) < 0.05).mean()) > 0.8:
            text = "Values range from 0 to 1: normals were encoded. Decode them with 2n − 1."
            return [Diagnostic("normal_squeezed", text)]
        text = "No component is below 0: normals were clipped or colour-managed. Write them as data."
        return [Diagnostic("data_colour_managed", text)]
    wrong = float((np.abs(length[held] - 1) > 0.03).mean())
    if wrong > 0.5:
        text = f"{wrong:.0%} of its normals do not have length 1: the pass was colour-managed. Write it as data."
        return [Diagnostic("data_colour_managed", text, value=wrong)]
    if wrong > 0.01:
        text = f"{wrong:.1%} of its normals are shorter than 1 at edges: the pass was filtered. Render it unfiltered."
        return [Diagnostic("normal_filtered", text, value=wrong)]
    return []


def _ids_filtered(planes: Planes, alpha: Planes | None) -> list[Diagnostic]:
    values = planes[0]
    broken = float((values != np.rint(values)).mean())
    if broken == 0.0 or planes.shape[0] > 1:
        return []
    text = f"{broken:.1%} of its IDs are not integers: the pass was filtered, edges identify wrong objects."
    return [Diagnostic("id_filtered", text, value=broken)]


# What is looked at for each role beyond what all colour passes share.
Check = Callable[[Planes, Planes | None], list[Diagnostic]]
CHECKS: dict[Role, tuple[Check, ...]] = {
    Role.BEAUTY: (_unassociated,),
    Role.DEPTH: (_depth_filtered, _depth_reversed, _depth_stepped),
    Role.NORMAL: (_normals,),
    Role.ID: (_ids_filtered,),
}

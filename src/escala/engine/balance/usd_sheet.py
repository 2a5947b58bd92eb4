"""The light sheet as USD: the levels of lights as overs for the lights of a scene."""

import csv
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from escala.core.errors import BadSource
from escala.media.path_safety import printable
from escala.media.usd_lights import LightPrim, LightScene, LightValue, Time

from .light_sheet import LightRow


@dataclass(frozen=True)
class UsdSheet:
    """Values by prim and time code. `unplaced`: lights without a prim; `clipped`: those with a negative channel."""

    values: dict[str, dict[Time, LightValue]]
    unplaced: tuple[str, ...]
    clipped: tuple[str, ...]


def read_map(text: str, what: str) -> dict[str, list[str]]:
    """Lines `light,prim`: the prims of each light. Raises `BadSource` for a line of another form."""
    found: dict[str, list[str]] = {}
    for line in csv.reader(text.splitlines()):
        if not line or line[0].lstrip().startswith("#") or [each.strip() for each in line] == ["light", "prim"]:
            continue
        if len(line) != 2 or not line[0].strip() or not line[1].strip().startswith("/"):
            raise BadSource(f"{what}: {printable(','.join(line))} is no line of the form light,/path/of/prim")
        found.setdefault(line[0].strip(), []).append(line[1].strip())
    return found


def usd_sheet(rows: Sequence[LightRow], scene: LightScene, prims: Mapping[str, Sequence[str]]) -> UsdSheet:
    """The rows of a light sheet, in linear Rec.709, as values for the lights of a scene.

    A prim belongs to the light whose name is its own or, the nearest first, that of a prim above. `prims`: those of
    lights that are named differently. A light at its neutral level is left as it is. Raises
    `BadSource` for a named prim that is no light of the scene, and where no light has a prim.
    """
    by_path = {light.path: light for light in scene.lights}
    for path in (path for paths in prims.values() for path in paths):
        if path not in by_path:
            why = "is no light" if path in scene.prims else "is not there"
            raise BadSource(f"the prim {printable(path)} {why} in the scene")
    names = list(dict.fromkeys(row.light for row in rows))
    mapped = {path for paths in prims.values() for path in paths}
    placed = {name: [by_path[path] for path in prims.get(name, ())] for name in names}
    for light in scene.lights:
        name = next((each for each in light.names if each in placed), None)
        if name is not None and name not in prims and light.path not in mapped:
            placed[name].append(light)
    if not any(placed.values()):
        raise BadSource(f"no light of the scene is named as one of {', '.join(names)}: name the prims with --map")
    values: dict[str, dict[Time, LightValue]] = {}
    clipped = []
    for name, lights in placed.items():
        own = [row for row in rows if row.light == name]
        if all(row.level.is_neutral and any(row.effective) for row in own):
            continue
        if any(channel < 0 for row in own for channel in row.effective):
            clipped.append(name)
        for light in lights:
            values[light.path] = dict(_levelled(light, own))
    unplaced = tuple(name for name, lights in placed.items() if not lights)
    return UsdSheet(values, unplaced, tuple(clipped))


def _levelled(light: LightPrim, rows: Sequence[LightRow]) -> Iterable[tuple[Time, LightValue]]:
    """The values of a light at its level: at the frames where that moves, else at the light's own samples."""
    if rows[0].frame is not None:
        for row in rows:
            assert row.frame is not None
            yield float(row.frame), _times(light.values[float(row.frame)], row.effective)
        return
    times: Sequence[Time] = light.sampled or (None,)
    for time in times:
        yield time, _times(light.values[time], rows[0].effective)


def _times(value: LightValue, effective: Sequence[float]) -> LightValue:
    """A value times a gain: intensity takes its largest channel, colour the rest; channels below 0 are 0."""
    gain: NDArray[np.float64] = np.maximum(np.array(effective, np.float64), 0.0)
    largest = float(gain.max())
    if largest <= 0:
        return LightValue(value.exposure, 0.0, value.colour)
    red, green, blue = (np.array(value.colour) * (gain / largest)).tolist()
    return LightValue(value.exposure, value.intensity * largest, (red, green, blue))

"""The light sheet: levels and tints of all lights as rows, to set the lights of the scene for the next render."""

import csv
import io
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from escala.core.balance.levels import level_gain, names_that_count
from escala.core.errors import BadSource
from escala.media.path_safety import printable
from escala.model.balance import Level, level_of
from escala.model.curves import Curve, KeysCurve
from escala.model.entries import pointer_step
from escala.model.render import Render
from escala.model.strict_json import from_json, to_json
from escala.model.time import Time
from escala.model.variant import Variant

from ..colour.pipeline import ColourPipeline
from .plan import render_lights

_LEVEL = ("stops", "multiplier", "red", "green", "blue", "kelvin", "duv")
_EFFECTIVE = ("effective_red", "effective_green", "effective_blue")
COLUMNS = ("frame", "light", *_LEVEL, *_EFFECTIVE)
_SPACE = "# space: "


@dataclass(frozen=True)
class LightRow:
    """A light at a frame, None: at every one. `effective`: its gain as a colour in the sheet's space, 0 when muted."""

    frame: int | None
    light: str
    level: Level
    effective: tuple[float, float, float]

    @property
    def values(self) -> dict[str, Any]:
        """By column."""
        level = self.level
        found = (level.stops, level.multiplier, *level.tint, level.kelvin, level.duv)
        return {
            "frame": self.frame,
            "light": self.light,
            **dict(zip(_LEVEL, found, strict=True)),
            **dict(zip(_EFFECTIVE, self.effective, strict=True)),
        }


def light_rows(
    render: Render, variant: Variant, colour_pipeline: ColourPipeline, space: str, frames: Sequence[tuple[int, Time]]
) -> list[LightRow]:
    """The rows of all lights of a render, in order, and of the added ones; `frames`: numbers and times.

    A light that does not move has one row. Raises `UnknownChoice` for a space that the config lacks.
    """
    target = colour_pipeline.config.space(space)
    rows = []
    for light in _all_lights(render, variant):
        moves = _moves(variant, light)
        for number, time in frames if moves else frames[:1]:
            settled = variant.settled(time)
            level = level_of(settled.balance.lights, light)
            effective = _effective(settled, render, light, colour_pipeline, target)
            rows.append(LightRow(number if moves else None, light, level, effective))
    return rows


def _all_lights(render: Render, variant: Variant) -> list[str]:
    """The lights of a render, then the added ones."""
    return list(dict.fromkeys((*render_lights(render), *(light.name for light in variant.balance.added))))


def _moves(variant: Variant, light: str) -> bool:
    """Whether a curve moves any number of a light's level."""
    start = f"balance/lights/{pointer_step(light)}/"
    return any(pointer.strip("/").startswith(start) for pointer in variant.curves)


def _effective(
    variant: Variant, render: Render, light: str, colour_pipeline: ColourPipeline, space: str
) -> tuple[float, float, float]:
    levels = {name: level_of(variant.balance.lights, name) for name in _all_lights(render, variant)}
    counting = names_that_count({n: le.mute for n, le in levels.items()}, {n: le.solo for n, le in levels.items()})
    if not counting[light]:
        return 0.0, 0.0, 0.0
    level, working = levels[light], colour_pipeline.working
    gain = level_gain(working, level.stops, level.multiplier, level.tint, level.kelvin, level.duv)
    planes = np.asarray(gain, np.float32).reshape(3, 1, 1)
    red, green, blue = colour_pipeline.config.convert(planes, working.name, space).reshape(3).tolist()
    return red, green, blue


def sheet_as_csv(rows: Iterable[LightRow], space: str) -> str:
    """The sheet as CSV, its first line the space; numbers read back to the same float32."""
    text = io.StringIO()
    text.write(f"{_SPACE}{space}\n")
    writer = csv.DictWriter(text, COLUMNS, lineterminator="\n")
    writer.writeheader()
    for row in rows:
        writer.writerow({name: _written(value) for name, value in row.values.items()})
    return text.getvalue()


def _written(value: Any) -> str:
    if value is None:
        return ""
    return repr(value) if isinstance(value, float) else str(value)


def sheet_as_json(rows: Iterable[LightRow], space: str) -> str:
    """The sheet as JSON."""
    return to_json({"space": space, "rows": [row.values for row in rows]}, indent=2)


def with_sheet(variant: Variant, text: str, what: str) -> Variant:
    """A variant with the levels of a sheet, CSV or JSON. Raises `BadSource` with the row that cannot be read.

    Rows without a frame set levels; rows with frames become keys, straight between them.
    """
    rows = _rows_of(text, what)
    lights: dict[str, Level] = dict(variant.balance.lights)
    curves: dict[str, Curve] = dict(variant.curves)
    for light in dict.fromkeys(str(row["light"]) for row in rows):
        own = [row for row in rows if row["light"] == light]
        kept = level_of(lights, light)
        levels = [(_frame(row, what), _level(row, kept, what)) for row in own]
        lights[light] = levels[0][1]
        start = f"balance/lights/{pointer_step(light)}"
        curves = {pointer: c for pointer, c in curves.items() if not pointer.strip("/").startswith(f"{start}/")}
        if levels[0][0] is not None:
            for name in ("stops", "multiplier", "tint", "kelvin", "duv"):
                keys = [{"frame": n, "value": getattr(level, name), "ease": "straight"} for n, level in levels]
                if len({str(key["value"]) for key in keys}) > 1:
                    curves[f"{start}/{name}"] = KeysCurve.model_validate({"keys": keys})
    balance = variant.balance.model_copy(update={"lights": lights})
    return variant.model_copy(update={"balance": balance, "curves": curves})


def _rows_of(text: str, what: str) -> list[dict[str, Any]]:
    try:
        if text.lstrip().startswith("{"):
            rows = from_json(text)["rows"]
        else:
            lines = [line for line in text.splitlines() if line.strip() and not line.startswith("#")]
            rows = list(csv.DictReader(lines))
        missing = next((name for row in rows for name in ("light", *_LEVEL) if row.get(name) in (None, "")), None)
    except (ValueError, KeyError, TypeError, AttributeError, csv.Error) as error:
        raise BadSource(f"{what}: not a light sheet: {printable(error)}") from error
    if missing is not None or not rows:
        raise BadSource(f"{what}: not a light sheet: it lacks {missing or 'rows'}")
    return list(rows)


def _frame(row: dict[str, Any], what: str) -> int | None:
    frame = row.get("frame")
    try:
        return None if frame in (None, "") else int(str(frame))
    except ValueError:
        raise BadSource(f"{what}: {printable(frame)} is no frame number") from None


def _level(row: dict[str, Any], kept: Level, what: str) -> Level:
    try:
        stops, multiplier, red, green, blue, kelvin, duv = (float(row[name]) for name in _LEVEL)
        change = {"stops": stops, "multiplier": multiplier, "tint": (red, green, blue), "kelvin": kelvin, "duv": duv}
        return Level.model_validate({**kept.model_dump(), **change})
    except (ValueError, TypeError) as error:
        words = str(error).splitlines()
        raise BadSource(f"{what}: the level of {printable(row['light'])} cannot be read: {words[-1]}") from error

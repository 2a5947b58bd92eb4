"""Lights in USD files (UsdLux), through the package usd-core: read, made, and changed by overs."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from escala.core.errors import BadSource, EscalaError

from .atomic_write import write_atomically
from .path_safety import is_file, printable

WRITTEN_SUFFIXES = (".usd", ".usda", ".usdc")
# The names of the attributes of UsdLux's light API.
_EXPOSURE, _INTENSITY, _COLOUR = "inputs:exposure", "inputs:intensity", "inputs:color"
Time = float | None


class NoUsd(EscalaError):
    """The package that reads and writes USD is not installed."""

    def __init__(self) -> None:
        super().__init__("for USD files, the package usd-core is needed: run make setup, or pip install usd-core")


@dataclass(frozen=True)
class LightValue:
    """What a light gives: `2^exposure · intensity · colour`, linear Rec.709."""

    exposure: float
    intensity: float
    colour: tuple[float, float, float]

    @property
    def radiance(self) -> NDArray[np.float64]:
        """Exposure, intensity and colour in one; (3,)."""
        return 2.0**self.exposure * self.intensity * np.array(self.colour, np.float64)


@dataclass(frozen=True)
class LightPrim:
    """A light of a scene. `names`: its own and those of the prims above, the nearest first.

    `values`: by time code, None: without one; those of the times at which it has samples, and of those asked for.
    `sampled`: the times of its own samples.
    """

    path: str
    names: tuple[str, ...]
    values: Mapping[Time, LightValue]
    sampled: tuple[float, ...]


@dataclass(frozen=True)
class LightScene:
    """The lights of a scene, the paths of all its prims, and its time codes a second."""

    lights: tuple[LightPrim, ...]
    prims: frozenset[str]
    rate: float


@dataclass(frozen=True)
class MadeLight:
    """A light to be defined: a type of UsdLux (`SphereLight`), its value, and its place by time code."""

    path: str
    kind: str
    value: LightValue
    places: Mapping[Time, tuple[float, float, float]]


def read_lights(scene: Path, times: Sequence[float] = ()) -> LightScene:
    """The lights of a scene with their values; also at `times`. Raises `BadSource` where it does not open, `NoUsd`."""
    _package()
    stage = _opened(scene)
    lights = [_read(prim, times) for prim in stage.Traverse() if _is_light(prim)]
    prims = frozenset(str(prim.GetPath()) for prim in stage.TraverseAll())
    return LightScene(tuple(lights), prims, float(stage.GetTimeCodesPerSecond()))


def read_lights_over(made: Iterable[MadeLight], over: Path, time: float) -> dict[str, LightValue]:
    """The values of made lights at a time, by path, with a layer laid over them. Raises as `read_lights`."""
    Usd, Sdf, _ = _package()
    _opened(over)
    root, own = Sdf.Layer.CreateAnonymous(".usda"), Sdf.Layer.CreateAnonymous(".usda")
    _define(Usd.Stage.Open(own), made)
    root.subLayerPaths = [str(over.resolve()), own.identifier]
    stage = Usd.Stage.Open(root)
    return {light.path: _value(stage.GetPrimAtPath(light.path), time) for light in made}


def write_lights(path: Path, made: Iterable[MadeLight], rate: float) -> None:
    """A file that defines lights. Raises `NoUsd`, and as `write_atomically`."""
    Usd, *_ = _package()
    stage = Usd.Stage.CreateInMemory()
    _set_rate(stage, rate)
    _define(stage, made)
    write_atomically(path, lambda growing: _export(stage, growing))


def write_overs(path: Path, values: Mapping[str, Mapping[Time, LightValue]], rate: float) -> None:
    """A layer of overs for prims that a scene has: intensity and colour, by time code. Raises as `write_lights`."""
    Usd, Sdf, _ = _package()
    stage = Usd.Stage.CreateInMemory()
    _set_rate(stage, rate)
    for place, by_time in values.items():
        prim = stage.OverridePrim(place)
        first = next(iter(by_time.values()))
        intensity = prim.CreateAttribute(_INTENSITY, Sdf.ValueTypeNames.Float, custom=False)
        is_tinted = any(value.colour != first.colour for value in by_time.values()) or first.colour != _WHITE
        colour = prim.CreateAttribute(_COLOUR, Sdf.ValueTypeNames.Color3f, custom=False) if is_tinted else None
        for time, value in by_time.items():
            code = Usd.TimeCode.Default() if time is None else Usd.TimeCode(time)
            intensity.Set(float(value.intensity), code)
            if colour is not None:
                colour.Set(tuple(map(float, value.colour)), code)
    write_atomically(path, lambda growing: _export(stage, growing))


_WHITE = (1.0, 1.0, 1.0)


def _set_rate(stage: Any, rate: float) -> None:
    stage.SetTimeCodesPerSecond(rate)
    stage.SetFramesPerSecond(rate)


def _define(stage: Any, made: Iterable[MadeLight]) -> None:
    Usd, _, (UsdGeom, UsdLux) = _package()
    UsdGeom.SetStageUpAxis(stage, UsdGeom.Tokens.y)
    UsdGeom.SetStageMetersPerUnit(stage, 1.0)
    for light in made:
        parent = light.path.rpartition("/")[0]
        if parent and not stage.GetPrimAtPath(parent):
            UsdGeom.Scope.Define(stage, parent)
        defined = getattr(UsdLux, light.kind).Define(stage, light.path)
        defined.CreateIntensityAttr(light.value.intensity)
        defined.CreateExposureAttr(light.value.exposure)
        defined.CreateColorAttr(light.value.colour)
        if light.places:
            move = UsdGeom.Xformable(defined).AddTranslateOp()
            for time, place in light.places.items():
                move.Set(place, Usd.TimeCode.Default() if time is None else Usd.TimeCode(time))


def _export(stage: Any, path: Path) -> None:
    if not stage.GetRootLayer().Export(str(path)):
        raise OSError(f"{path.name} cannot be written")


def _opened(path: Path) -> Any:
    Usd, *_ = _package()
    if not is_file(path):
        raise BadSource(f"{printable(path)}: no such file")
    try:
        stage = Usd.Stage.Open(str(path))
    except Exception as error:  # the library has errors of its own
        raise BadSource(f"{printable(path)} does not open as USD: {_plain(error)}") from error
    if not stage:
        raise BadSource(f"{printable(path)} does not open as USD")
    return stage


def _is_light(prim: Any) -> bool:
    *_, (_, UsdLux) = _package()
    return bool(prim.HasAPI(UsdLux.LightAPI))


def _read(prim: Any, times: Sequence[float]) -> LightPrim:
    path = prim.GetPath()
    names = tuple(str(step.name) for step in reversed(path.GetPrefixes()))
    sampled: set[float] = set()
    for name in (_EXPOSURE, _INTENSITY, _COLOUR):
        attribute = prim.GetAttribute(name)
        sampled |= set(attribute.GetTimeSamples()) if attribute else set()
    wanted: list[Time] = [None, *sorted(sampled | set(times))]
    return LightPrim(str(path), names, {time: _value(prim, time) for time in wanted}, tuple(sorted(sampled)))


def _value(prim: Any, time: Time) -> LightValue:
    Usd, *_ = _package()
    code = Usd.TimeCode.EarliestTime() if time is None else Usd.TimeCode(time)

    def get(name: str, otherwise: Any) -> Any:
        attribute = prim.GetAttribute(name)
        found = attribute.Get(code) if attribute else None
        return otherwise if found is None else found

    red, green, blue = map(float, get(_COLOUR, _WHITE))
    return LightValue(float(get(_EXPOSURE, 0.0)), float(get(_INTENSITY, 1.0)), (red, green, blue))


def _package() -> Any:
    try:
        from pxr import Sdf, Usd, UsdGeom, UsdLux  # an optional extra
    except ImportError as error:
        raise NoUsd from error
    return Usd, Sdf, (UsdGeom, UsdLux)


def _plain(error: Exception) -> str:
    lines = [line.strip() for line in str(error).splitlines() if line.strip()]
    return lines[-1][:200] if lines else type(error).__name__

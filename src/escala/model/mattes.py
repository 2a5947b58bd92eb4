"""Mattes, one class a kind: where a level, a correction or a surface's change counts."""

from collections.abc import Iterator, Mapping
from itertools import pairwise
from typing import Annotated, Any, Literal, Self

from pydantic import AfterValidator, Field, model_validator

from .numbers import Count, Number, Positive, Triple
from .render import Document
from .time import Time

_MOST_NAMES, _MOST_POINTS, _MOST_KEYS = 4096, 1024, 4096
# A matte that is as large as any picture; and the largest sigma of a Gaussian that makes sense in one.
_MOST_GROWN, _MOST_SOFTENED = 512, 512

Length = Annotated[Number, Field(ge=0, le=65536)]
Point = tuple[Number, Number]
Points = Annotated[tuple[Point, ...], Field(min_length=3, max_length=_MOST_POINTS)]


class MatteBase(Document):
    """What every matte can be besides: grown (negative: shrunk), softened, times a gain, turned round; in this order.

    `grow_px`: pixels of the full-resolution render; `soften_px`: the sigma of a Gaussian, in the same.
    """

    grow_px: Number = Field(0.0, ge=-_MOST_GROWN, le=_MOST_GROWN)
    soften_px: Number = Field(0.0, ge=0, le=_MOST_SOFTENED)
    gain: Number = Field(1.0, ge=0, le=65504)
    invert: bool = False


def _any_direction(direction: Triple) -> Triple:
    if not any(direction):
        raise ValueError("a direction has a length; [0, 0, 0] points nowhere")
    return direction


class ObjectMatte(MatteBase):
    """Coverage of named objects; in names `*` is any run, `?` one sign. `layer` None: the first that knows the name."""

    kind: Literal["object"] = "object"
    names: tuple[Annotated[str, Field(min_length=1, max_length=1024)], ...] = Field((), max_length=_MOST_NAMES)
    layer: str | None = None


class IdMatte(MatteBase):
    """1 where a pass holds one of some numbers, or one of some colours within `tolerance` in each channel."""

    kind: Literal["id"] = "id"
    pass_: str = Field(alias="pass", min_length=1)
    values: tuple[Number | Triple, ...] = Field((), max_length=_MOST_NAMES)
    tolerance: Number = Field(0.004, ge=0, le=65504)


class ChannelMatte(MatteBase):
    """A channel of a pass, from 0 at `low` to 1 at `high`."""

    kind: Literal["channel"] = "channel"
    pass_: str = Field(alias="pass", min_length=1)
    channel: int = Field(0, ge=0, le=4095)
    low: Number = 0.0
    high: Number = 1.0

    @model_validator(mode="after")
    def _has_a_width(self) -> Self:
        if self.low == self.high:
            raise ValueError(f"low and high of a channel differ; both are {self.low}")
        return self


class DepthMatte(MatteBase):
    """1 between two depths, ramps of `soft` outside; in scene units."""

    kind: Literal["depth"] = "depth"
    near: Number
    far: Number
    soft: Positive = 0.0

    @model_validator(mode="after")
    def _in_order(self) -> Self:
        if self.near > self.far:
            raise ValueError(f"near lies before far; {self.near} is beyond {self.far}")
        return self


class PositionMatte(MatteBase):
    """1 in a sphere or box in the scene, a ramp over `soft` outside; in scene units."""

    kind: Literal["position"] = "position"
    shape: Literal["sphere", "box"] = "sphere"
    centre: Triple
    size: Positive | tuple[Positive, Positive, Positive]
    soft: Positive = 0.0

    @model_validator(mode="after")
    def _fits(self) -> Self:
        if (self.shape == "sphere") != isinstance(self.size, float):
            raise ValueError("a sphere has one radius, a box three half sizes")
        return self


class NormalMatte(MatteBase):
    """1 where a surface faces a direction within `angle` degrees, a ramp over `soft` degrees outside."""

    kind: Literal["normal"] = "normal"
    direction: Annotated[Triple, AfterValidator(_any_direction)]
    angle: Number = Field(45.0, ge=0, le=180)
    soft: Number = Field(15.0, ge=0, le=180)


class LuminanceMatte(MatteBase):
    """1 between two luminances in stops over 0.18, ramps of `soft` stops outside. `of` None: the plain beauty."""

    kind: Literal["luminance"] = "luminance"
    low: Number
    high: Number
    soft: Positive = 0.0
    of: str | None = None

    @model_validator(mode="after")
    def _in_order(self) -> Self:
        if self.low > self.high:
            raise ValueError(f"low lies below high; {self.low} is above {self.high}")
        return self


class HueMatte(MatteBase):
    """1 within half of `width` of a hue, ramps of `soft` outside, in degrees; 0 for colours nearer to grey.

    `of` None: the plain beauty.
    """

    kind: Literal["hue"] = "hue"
    centre: Number = Field(ge=-360, le=720)
    width: Number = Field(ge=0, le=360)
    soft: Number = Field(0.0, ge=0, le=180)
    least_saturation: Number = Field(0.1, ge=0, le=1)
    of: str | None = None


class ShapeMatte(MatteBase):
    """A drawn outline, closed. `keys`: points by frame, linear between them, in place of `points`.

    `smooth`: a curve through the points; `feather_px`: how far it fades outwards.
    """

    kind: Literal["shape"] = "shape"
    points: Points | None = None
    smooth: bool = True
    feather_px: Length = 0.0
    keys: Annotated[dict[Count, Points], Field(min_length=1, max_length=_MOST_KEYS)] | None = None

    @model_validator(mode="after")
    def _one_outline(self) -> Self:
        if (self.points is None) == (self.keys is None):
            raise ValueError("a shape has either points or keys")
        counts = sorted({len(points) for points in (self.keys or {}).values()})
        if len(counts) > 1:
            raise ValueError(f"all keys of a shape have as many points, not {counts[0]} and {counts[-1]}")
        return self

    def settled(self, time: Time) -> "ShapeMatte":
        """The shape at a time, without keys."""
        if self.keys is None:
            return self
        return self.model_copy(update={"points": _between(self.keys, time.frame), "keys": None})


def _between(keys: Mapping[int, tuple[Point, ...]], frame: float) -> tuple[Point, ...]:
    """The points at a frame, linear between keys and held outside."""
    numbers = sorted(keys)
    for first, second in pairwise(numbers):
        if first <= frame < second:
            share = (frame - first) / (second - first)
            pairs = zip(keys[first], keys[second], strict=True)
            return tuple((a[0] + share * (b[0] - a[0]), a[1] + share * (b[1] - a[1])) for a, b in pairs)
    return keys[numbers[0] if frame < numbers[0] else numbers[-1]]


class EllipseMatte(MatteBase):
    """A drawn ellipse, turned counter-clockwise as seen; `feather_px`: how far it fades outwards."""

    kind: Literal["ellipse"] = "ellipse"
    centre: Point
    radii: tuple[Annotated[Number, Field(gt=0, le=65536)], Annotated[Number, Field(gt=0, le=65536)]]
    turn: Number = Field(0.0, ge=-3600, le=3600)
    feather_px: Length = 0.0


class JoinMatte(MatteBase):
    """Mattes combined: any of them, all of them, the first minus the others, their product, their sum."""

    kind: Literal["join"] = "join"
    how: Literal["any", "all", "minus", "product", "sum"]
    of: tuple[str, ...] = Field(min_length=1, max_length=256)


Matte = Annotated[
    ObjectMatte
    | IdMatte
    | ChannelMatte
    | DepthMatte
    | PositionMatte
    | NormalMatte
    | LuminanceMatte
    | HueMatte
    | ShapeMatte
    | EllipseMatte
    | JoinMatte,
    Field(discriminator="kind"),
]

MatteName = Annotated[str, Field(min_length=1, max_length=240)]


def check_joins(mattes: Mapping[str, Any]) -> None:
    """Refuse joins of mattes that are not there, and such as hold themselves. Raises `ValueError`."""
    for name, matte in mattes.items():
        absent = next((member for member in members_of(matte) if member not in mattes), None)
        if absent is not None:
            raise ValueError(f"the matte {name!r} joins {absent!r}, which this document does not have")
    depths: dict[str, int] = {}
    for name in mattes:
        _measure_depth(mattes, name, depths)


def _measure_depth(mattes: Mapping[str, Any], name: str, depths: dict[str, int]) -> None:
    """Find how deep a matte and its members are joined, whatever their order; no recursion, for they may be many."""
    path, waiting = [name], {name: list(members_of(mattes[name]))}
    while path:
        current = path[-1]
        if current not in depths and waiting[current]:
            member = waiting[current].pop()
            if member in waiting and member not in depths:
                raise ValueError(f"the matte {member!r} is joined from itself: {_way_back(path, member)}")
            if member not in depths:
                path.append(member)
                waiting[member] = list(members_of(mattes[member]))
            continue
        path.pop()
        depths[current] = 1 + max((depths[member] for member in members_of(mattes[current])), default=-1)
        if depths[current] > _MOST_DEPTH:
            raise ValueError(f"the matte {current!r} is joined {depths[current]} deep; the limit is {_MOST_DEPTH}")


def _way_back(path: list[str], name: str) -> str:
    return " of ".join((*path[path.index(name) :], name))


_MOST_DEPTH = 64


def members_of(matte: Any) -> tuple[str, ...]:
    """The mattes that a matte is joined from."""
    return matte.of if isinstance(matte, JoinMatte) else ()


def with_members(mattes: Mapping[str, Any], names: Iterator[str]) -> set[str]:
    """These names and those of all mattes that they are joined from."""
    found: set[str] = set()
    waiting = list(names)
    while waiting:
        name = waiting.pop()
        if name not in found:
            found.add(name)
            waiting += members_of(mattes[name])
    return found

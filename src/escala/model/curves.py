"""Curves: how numbers of the document move over time."""

from functools import cached_property
from itertools import pairwise
from typing import Annotated, Literal, Self

from pydantic import Field, field_validator, model_validator

from escala.core.curves import generators
from escala.core.curves.keys import Key, Keys

from .numbers import Number
from .render import Document
from .time import Time

_MOST_KEYS = 4096

# A number, or several that move together.
Values = Number | Annotated[tuple[Number, ...], Field(min_length=2, max_length=3)]
Handle = tuple[Number, Number]
Frames = Annotated[Number, Field(gt=0, le=1e9)]


def channel(values: Values, index: int) -> float:
    """One of several values; a single one counts for all."""
    return values[index] if isinstance(values, tuple) else values


def width_of(values: Values) -> int:
    """How many values there are."""
    return len(values) if isinstance(values, tuple) else 1


class KeyFrame(Document):
    """A value at a frame. `ease` of the stretch that begins here; `out` and `in`: handles of Bézier stretches."""

    frame: Number
    value: Values
    ease: Literal["smooth", "straight", "step", "bezier"] = "smooth"
    out: Handle = (0.0, 0.0)
    in_: Handle = Field((0.0, 0.0), alias="in")

    def key(self, index: int) -> Key:
        """The key of one channel."""
        return Key(self.frame, channel(self.value, index), self.ease, self.out, self.in_)


class CurveBase(Document):
    """What every curve has."""

    @property
    def widths(self) -> tuple[int, ...]:
        """How many values each of its fields has."""
        return ()

    @property
    def followed(self) -> str | None:
        """The pointer to a field that it follows."""
        return None


class KeysCurve(CurveBase):
    """Keys. `outside`: what is before the first and after the last."""

    kind: Literal["keys"] = "keys"
    keys: tuple[KeyFrame, ...] = Field(min_length=1, max_length=_MOST_KEYS)
    outside: Literal["hold", "repeat", "mirror", "slope"] = "hold"

    @field_validator("keys")
    @classmethod
    def _rise(cls, keys: tuple[KeyFrame, ...]) -> tuple[KeyFrame, ...]:
        rising = tuple(sorted(keys, key=lambda key: key.frame))
        double = next((left.frame for left, right in pairwise(rising) if left.frame == right.frame), None)
        if double is not None:
            raise ValueError(f"two keys stand at frame {double:g}: each needs its own")
        return rising

    @property
    def widths(self) -> tuple[int, ...]:
        """As for any curve."""
        return tuple(width_of(key.value) for key in self.keys)

    @cached_property
    def _channels(self) -> tuple[Keys, ...]:
        return tuple(Keys([key.key(i) for key in self.keys], self.outside) for i in range(max(self.widths)))

    def at(self, index: int, base: float, time: Time) -> float:
        """The value of a channel at a time."""
        return self._channels[min(index, len(self._channels) - 1)].at(time.frame)


class FlickerCurve(CurveBase):
    """The field's own number and noise: `rate` values a second; `smooth`: from steps to smooth."""

    kind: Literal["flicker"] = "flicker"
    amount: Number
    rate: Number = Field(gt=0, le=1000)
    smooth: Number = Field(1.0, ge=0, le=1)
    seed: int = Field(0, ge=-(2**63), le=2**64 - 1)

    def at(self, index: int, base: float, time: Time) -> float:
        """The value of a channel at a time."""
        return base + self.amount * generators.noise(time.frame / time.rate * self.rate, self.seed, self.smooth)


class PulseCurve(CurveBase):
    """High for the first `duty` of each `period`; rise and fall take `soft` frames. In frames."""

    kind: Literal["pulse"] = "pulse"
    low: Values
    high: Values
    period: Frames
    duty: Number = Field(0.5, ge=0, le=1)
    phase: Number = 0.0
    soft: Number = Field(0.0, ge=0, le=1e9)

    @property
    def widths(self) -> tuple[int, ...]:
        """As for any curve."""
        return width_of(self.low), width_of(self.high)

    def at(self, index: int, base: float, time: Time) -> float:
        """The value of a channel at a time."""
        low, high = channel(self.low, index), channel(self.high, index)
        return generators.pulse(time.frame, low, high, self.period, self.duty, self.phase, self.soft)


class SweepCurve(CurveBase):
    """The field's own number and a sine. In frames."""

    kind: Literal["sweep"] = "sweep"
    amount: Number
    period: Frames
    phase: Number = 0.0

    def at(self, index: int, base: float, time: Time) -> float:
        """The value of a channel at a time."""
        return base + generators.sweep(time.frame, self.amount, self.period, self.phase)


class RampCurve(CurveBase):
    """From one value to another between two frames, held outside."""

    kind: Literal["ramp"] = "ramp"
    from_: Values = Field(alias="from")
    to: Values
    start: Number
    end: Number

    @model_validator(mode="after")
    def _goes_forward(self) -> Self:
        if self.end <= self.start:
            raise ValueError(f"a ramp ends after its start at frame {self.start:g}, not at {self.end:g}")
        return self

    @property
    def widths(self) -> tuple[int, ...]:
        """As for any curve."""
        return width_of(self.from_), width_of(self.to)

    def at(self, index: int, base: float, time: Time) -> float:
        """The value of a channel at a time."""
        return generators.ramp(time.frame, channel(self.from_, index), channel(self.to, index), self.start, self.end)


class FollowCurve(CurveBase):
    """Another field's settled value, `delay` frames earlier, times `scale`, plus `offset`."""

    kind: Literal["follow"] = "follow"
    pointer: str = Field(min_length=1, max_length=1000)
    scale: Number = 1.0
    offset: Number = 0.0
    delay: Number = Field(0.0, ge=-1e9, le=1e9)

    @property
    def followed(self) -> str:
        """As for any curve."""
        return self.pointer.strip("/")


Generated = KeysCurve | FlickerCurve | PulseCurve | SweepCurve | RampCurve
Curve = Annotated[Generated | FollowCurve, Field(discriminator="kind")]

"""Plate: layers behind and before the CG, from back to front."""

from collections.abc import Callable, Iterator
from typing import Annotated, Any, Literal, Self

from pydantic import AfterValidator, Field, field_validator, model_validator

from .balance import Level
from .corrections import Correction, WholeCorrections
from .entries import Limited, Listed
from .numbers import ZEROS, Number, PositiveTriple, Triple
from .render import Document
from .source import RenderReading

_MOST_LAYERS = 64

Place = tuple[Number, Number]
Operator = Literal["over", "under", "add", "multiply", "screen", "hold_out", "depth"]
Distance = Annotated[Number, Field(gt=0)]
Name = Annotated[str, Field(max_length=200)]
Path = Annotated[str, Field(min_length=1, max_length=4096)]
Factor = Annotated[Number, Field(ge=-1000, le=1000)]


class LayerBase(Limited):
    """What every layer has. `operator` "depth" merges it with the CG by depth."""

    name: Name = ""
    operator: Operator = "over"
    corrections: WholeCorrections = ()

    @property
    def changes(self) -> bool:
        """Whether it is seen."""
        return self.is_seen

    @property
    def distance_in_scene(self) -> float | None:
        """The distance at which all of it stands; None where it has none, or one for each pixel."""
        return None


class Edges(Document):
    """What is done to alpha, colour following: grown (shrunk where negative), then softened. In pixels."""

    grow_px: Number = Field(0.0, ge=-256, le=256)
    soften_px: Number = Field(0.0, ge=0, le=256)

    @property
    def changes(self) -> bool:
        """Whether they change anything."""
        return abs(self.grow_px) >= 1 or self.soften_px > 0


class RenderedLayer(LayerBase):
    """A rendered layer. `clean_colour`: the backing that it was rendered on, taken out of half-covered pixels."""

    edges: Edges = Field(default_factory=Edges)
    clean_colour: Triple | None = None


class CgLayer(RenderedLayer):
    """The CG: the picture of the stations before."""

    kind: Literal["cg"] = "cg"

    @property
    def is_laid_as_it_is(self) -> bool:
        """Whether it is laid over what is beneath, with neither opacity nor matte."""
        return self.on and self.opacity == 1 and self.matte is None and self.operator in ("over", "depth")

    @property
    def is_neutral(self) -> bool:
        """Whether it is the CG as it comes, laid over what is beneath."""
        is_changed = self.edges.changes or self.clean_colour or any(c.is_seen for c in self.corrections)
        return self.is_laid_as_it_is and not is_changed


class PictureLayer(LayerBase):
    """A picture, a sequence or a video.

    `space` None: as its file says. `alpha` None: associated, in PNG files unassociated. `fit`: centred; then it is
    scaled (negative mirrors), turned counter-clockwise as seen, and moved by pixels. `first_frame`: its frame at the
    first of the shot, None for its own first; `frame_rate` None: as its file says, else the shot's.
    """

    kind: Literal["picture"] = "picture"
    path: Path
    space: str | None = None
    alpha: Literal["associated", "unassociated", "none"] | None = None
    fit: Literal["fill", "fit", "stretch", "actual"] = "fill"
    scale: Factor | tuple[Factor, Factor] = 1.0
    turn: Number = Field(0.0, ge=-3600, le=3600)
    move: Place = (0.0, 0.0)
    distance: Distance | None = None
    first_frame: int | None = Field(None, ge=-(2**31), le=2**31 - 1)
    frame_rate: Annotated[Number, Field(gt=0, le=1000)] | None = None
    after_end: Literal["hold", "loop", "none"] = "hold"

    @field_validator("scale")
    @classmethod
    def _has_a_size(cls, scale: float | tuple[float, float]) -> float | tuple[float, float]:
        if any(abs(factor) < 1e-3 for factor in ((scale,) if isinstance(scale, float) else scale)):
            raise ValueError(f"a picture is scaled by a thousandth at least, not by {scale}")
        return scale

    @property
    def scales(self) -> tuple[float, float]:
        """The scale across and down."""
        return self.scale if isinstance(self.scale, tuple) else (self.scale, self.scale)

    @property
    def distance_in_scene(self) -> float | None:
        """Where it stands."""
        return self.distance


class Gradient(Document):
    """A linear gradient between two places in the picture, held outside; colours in the working space."""

    from_: Place = Field(alias="from")
    to: Place
    colours: tuple[PositiveTriple, PositiveTriple]


class SolidBackdrop(LayerBase):
    """A colour of the working space everywhere, or a gradient."""

    kind: Literal["solid"] = "solid"
    colour: PositiveTriple = (0.18, 0.18, 0.18)
    gradient: Gradient | None = None
    distance: Distance | None = None

    @property
    def distance_in_scene(self) -> float | None:
        """Where it stands."""
        return self.distance


class ShadowLayer(LayerBase):
    """A shadow pass of the render: it takes light from what is beneath. Corrections act on the share that it takes."""

    kind: Literal["shadow"] = "shadow"
    pass_: str = Field(alias="pass")
    holds: Literal["light", "dark", "alpha"] = "light"
    strength: Number = Field(1.0, ge=0, le=1)
    colour: PositiveTriple = ZEROS
    soft_px: Number = Field(0.0, ge=0, le=256)

    @property
    def changes(self) -> bool:
        """Whether it is seen."""
        return self.is_seen and self.strength > 0


class ReflectionLayer(LayerBase):
    """A reflection pass of the render, added to what is beneath."""

    kind: Literal["reflection"] = "reflection"
    operator: Operator = "add"
    pass_: str = Field(alias="pass")
    level: Number = Field(0.0, ge=-16, le=16)


class RenderLayer(RenderedLayer):
    """A further render of the shot, read as `source` says.

    Lights have the levels of Balance by their names; those of `lights` their own.
    """

    kind: Literal["render"] = "render"
    render: Annotated[str, Field(min_length=1, max_length=200)]
    lights: dict[str, Level] = Field(default_factory=dict)
    source: RenderReading = Field(default_factory=RenderReading)


AnyLayer = Annotated[
    CgLayer | PictureLayer | SolidBackdrop | ShadowLayer | ReflectionLayer | RenderLayer, Field(discriminator="kind")
]

# How a layer is merged by depth needs a distance for it: its own, or that of its pixels.
_WITHOUT_DEPTH = (ShadowLayer, ReflectionLayer)


def _can_be_laid_in(layers: tuple[Any, ...]) -> tuple[Any, ...]:
    if len(layers) > _MOST_LAYERS:
        raise ValueError(f"a plate has {_MOST_LAYERS} layers at most, not {len(layers)}")
    if sum(isinstance(layer, CgLayer) for layer in layers) > 1:
        raise ValueError("the CG is one layer: two entries of kind cg are one too many")
    wrong = next((x for x in layers if x.operator == "depth" and isinstance(x, _WITHOUT_DEPTH)), None)
    if wrong is not None:
        raise ValueError(f"a {wrong.kind} has no depth: the layer {wrong.id!r} cannot be merged by it")
    return layers


class Plate(Document):
    """Layers from back to front; without an entry for it, the CG is on top."""

    layers: Annotated[Listed[AnyLayer], AfterValidator(_can_be_laid_in)] = ()

    @model_validator(mode="after")
    def _stands_somewhere(self) -> Self:
        for layer in self.layers:
            flat = isinstance(layer, PictureLayer | SolidBackdrop)
            if flat and layer.operator == "depth" and layer.distance_in_scene is None:
                raise ValueError(f"the layer {layer.id!r} is merged by depth and has no distance: give it one")
        return self

    @property
    def in_order(self) -> tuple["AnyLayer", ...]:
        """All layers from back to front, the CG among them."""
        return self.layers if any(isinstance(x, CgLayer) for x in self.layers) else (*self.layers, CG)

    @property
    def seen(self) -> tuple["AnyLayer", ...]:
        """The layers that are seen, from back to front."""
        return tuple(layer for layer in self.in_order if layer.changes)

    @property
    def cg(self) -> CgLayer:
        """The layer of the CG."""
        return next(layer for layer in self.in_order if isinstance(layer, CgLayer))

    @property
    def changes(self) -> bool:
        """Whether anything but the CG as it comes is seen."""
        seen = self.seen
        return len(seen) != 1 or not isinstance(seen[0], CgLayer) or not seen[0].is_neutral

    @property
    def pictures(self) -> tuple[str, ...]:
        """The paths of its pictures."""
        return tuple(layer.path for layer in self.layers if isinstance(layer, PictureLayer))

    def layer(self, entry_id: str) -> "AnyLayer":
        """A layer by its id. Raises `KeyError`."""
        found = next((layer for layer in self.in_order if layer.id == entry_id), None)
        if found is None:
            raise KeyError(f"the plate has no layer {entry_id!r}")
        return found

    def corrections(self) -> Iterator[Correction]:
        """The corrections of all layers."""
        for layer in self.layers:
            yield from layer.corrections

    def with_corrections(self, change: Callable[[Correction], Correction | None]) -> "Plate":
        """The same with every correction as `change` makes it; those of which it makes none are excluded."""

        def changed(layer: Any) -> Any:
            kept = tuple(c for old in layer.corrections if (c := change(old)))
            return layer.model_copy(update={"corrections": kept})

        return self.model_copy(update={"layers": tuple(map(changed, self.layers))}) if self.layers else self

    def with_pictures(self, change: Callable[[str], str]) -> "Plate":
        """The same with the path of every picture as `change` makes it."""

        def changed(layer: Any) -> Any:
            return layer.model_copy(update={"path": change(layer.path)}) if isinstance(layer, PictureLayer) else layer

        return self.model_copy(update={"layers": tuple(map(changed, self.layers))}) if self.layers else self


# The CG where no entry says otherwise.
CG = CgLayer(id="cg")

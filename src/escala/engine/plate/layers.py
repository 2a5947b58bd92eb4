"""Layers of the plate, one row for each kind: a first picture, and the stages that change it before it is laid in.

In order: the backing taken out, corrections, the effects of Depth by the layer's own depth, edges.
"""

from collections.abc import Callable, Collection, Iterator
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Any

import numpy as np

from escala.core.errors import choose
from escala.core.gaussian import gaussian, reach_of_gaussian
from escala.core.planes import Planes
from escala.core.plate.edges import clean_backing, reach_of_edges, reshape_edges
from escala.core.plate.gradient import gradient
from escala.core.plate.operators import Layer
from escala.core.plate.shadow import shadow_density
from escala.model.corrections import Correction
from escala.model.plate import (
    AnyLayer,
    PictureLayer,
    ReflectionLayer,
    RenderedLayer,
    RenderLayer,
    ShadowLayer,
    SolidBackdrop,
)
from escala.model.variant import Variant

from ..corrections.stage import corrections_stage
from ..depth.registry import DEPTH_EFFECTS
from ..effects import effect_stages
from ..frame_context import FrameContext
from ..images import OutsideImage
from ..pipeline import Picture, Pipeline, Stage
from ..request import EvaluationRequest
from ..viewer.viewport import sample_pass
from .clips import layer_source, shot_rate
from .depth import PlaneDepth
from .further import aligned_picture, further_request
from .pictures import placed_picture

if TYPE_CHECKING:
    from ..evaluator import Evaluator


@dataclass(frozen=True)
class LayerInput:
    """What a layer is evaluated with: a frame and a request; both of `further`, the evaluator of a render it shows."""

    frame_context: FrameContext
    request: EvaluationRequest
    further: "Evaluator | None" = None


@dataclass(frozen=True)
class LayerKind:
    """How a kind of layer is made.

    `first`: its first picture. `made_of`: what that is made of beside the layer's own fields; None where something is
    missing, and the layer is left out. `stages`: what follows. `input_of`: the frame and request that it is made with;
    None where they are missing.
    """

    first: Callable[[Any, LayerInput], Picture]
    stages: Callable[[Any], tuple[Stage, ...]]
    made_of: Callable[[Any, LayerInput], Any] = lambda layer, given: ()
    input_of: Callable[[Any, LayerInput], LayerInput | None] = lambda layer, given: given


def layer_input(layer: AnyLayer, given: LayerInput) -> LayerInput | None:
    """What a layer is evaluated with; None where what it shows is missing."""
    kind = choose("layer", layer.kind, LAYER_KINDS)
    own = kind.input_of(layer, given)
    return None if own is None or kind.made_of(layer, own) is None else own


def layer_inputs(layer: AnyLayer, own: LayerInput) -> Any:
    """What the first picture of a layer is made of beside its own fields; `own`: `layer_input`."""
    return choose("layer", layer.kind, LAYER_KINDS).made_of(layer, own)


def layer_pipeline(layer: AnyLayer, own: LayerInput) -> Pipeline:
    """The pipeline of a layer; `own`: `layer_input`."""
    kind = choose("layer", layer.kind, LAYER_KINDS)

    def at(request: EvaluationRequest) -> LayerInput:
        return replace(own, request=request)

    keys, cache = own.frame_context.terms.keys, own.frame_context.terms.cache
    return Pipeline(
        keys,
        cache,
        own.frame_context,
        lambda request: kind.first(layer, at(request)),
        lambda request: (layer.model_copy(update={"corrections": ()}), kind.made_of(layer, at(request))),
        kind.stages(layer),
        f"layer {layer.id}",
    )


def layer_picture(layer: AnyLayer, own: LayerInput, given: LayerInput) -> Picture:
    """A layer as it is laid in, without opacity and matte; `given`: the frame and request of the plate."""
    pipeline = layer_pipeline(layer, own)

    def make(request: EvaluationRequest) -> Picture:
        return pipeline.picture(len(pipeline.stages), request)

    if own.further is None:
        return make(own.request)
    return aligned_picture(make, own.request, given.frame_context.render, own.further.render)


@dataclass(frozen=True)
class LayerCorrections:
    """The corrections of a layer."""

    corrections: tuple[Correction, ...]

    @property
    def changes(self) -> bool:
        """Whether any of them does anything."""
        return any(correction.is_seen for correction in self.corrections)


def _corrections(layer: AnyLayer) -> Stage:
    mine = LayerCorrections(layer.corrections)
    return corrections_stage(f"plate/{layer.id}", lambda variant: mine)


def clean_stage(layer_of: Callable[[Variant], RenderedLayer]) -> Stage:
    """The old backing taken out of a rendered layer."""

    def part(variant: Variant) -> Any:
        return layer_of(variant).clean_colour

    def function(picture: Picture, request: EvaluationRequest, frame_context: FrameContext) -> Picture:
        backing = layer_of(request.variant).clean_colour
        if backing is None or picture.alpha is None:
            return picture
        return picture.with_colour(clean_backing(Layer(picture.colour, picture.alpha), backing).colour)

    return Stage("clean", part, function)


def edges_stage(layer_of: Callable[[Variant], RenderedLayer]) -> Stage:
    """The edges of a rendered layer, grown or shrunk, and softened."""

    def part(variant: Variant) -> Any:
        edges = layer_of(variant).edges
        return edges if edges.changes else None

    def function(picture: Picture, request: EvaluationRequest, frame_context: FrameContext) -> Picture:
        if picture.alpha is None:
            return picture
        edges, scale = layer_of(request.variant).edges, request.viewport.scale
        found = Layer(picture.colour, picture.alpha)
        shaped = reshape_edges(found, edges.grow_px * scale, edges.soften_px * scale, request.reporting("edges"))
        return Picture(shaped.colour, lambda: shaped.alpha)

    def reach(request: EvaluationRequest, frame_context: FrameContext) -> float:
        edges = layer_of(request.variant).edges
        # Colour is carried on from as far again as alpha is.
        return 2 * reach_of_edges(edges.grow_px, edges.soften_px) + 2 if edges.changes else 0

    return Stage("edges", part, function, reach)


def _in_depth(layer: AnyLayer) -> tuple[Stage, ...]:
    """The effects of Depth on a layer that stands at a distance."""
    distance = layer.distance_in_scene
    if distance is None:
        return ()
    depth = PlaneDepth(distance)

    def here(stage: Stage) -> Stage:
        return replace(
            stage,
            function=lambda picture, request, context: stage.function(picture, request, replace(context, depth=depth)),
            reach=lambda request, context: stage.reach(request, replace(context, depth=depth)),
        )

    return tuple(map(here, effect_stages("depth", DEPTH_EFFECTS)))


def _flat_stages(layer: AnyLayer) -> tuple[Stage, ...]:
    return _corrections(layer), *_in_depth(layer)


def _rendered_stages(layer: RenderLayer) -> tuple[Stage, ...]:
    depth = effect_stages("depth", DEPTH_EFFECTS)
    return clean_stage(lambda variant: layer), _corrections(layer), *depth, edges_stage(lambda variant: layer)


def _whole(colour: Planes) -> Picture:
    """A picture that covers everything."""
    alpha = np.ones(colour.shape[1:], np.float32)
    return Picture(colour, lambda: alpha)


def _solid(layer: SolidBackdrop, given: LayerInput) -> Picture:
    viewport = given.request.viewport
    shape = viewport.out_height, viewport.out_width
    if layer.gradient is None:
        colour = np.empty((3, *shape), np.float32)
        colour[:] = np.array(layer.colour, np.float32)[:, None, None]
        return _whole(colour)
    part, found = given.frame_context.part_of_frame(viewport), layer.gradient
    return _whole(gradient(part, shape, (found.from_, found.to), found.colours))


def _image_of(layer: PictureLayer, given: LayerInput) -> OutsideImage | None:
    context, request = given.frame_context, given.request
    clip = context.images.find_clip(layer.path)
    if clip is None:
        return None
    source = layer_source(layer, clip, context.frame_offset, shot_rate(context.render, request.variant))
    return None if source is None else context.images.find(source)


def _picture(layer: PictureLayer, given: LayerInput) -> Picture:
    image = _image_of(layer, given)
    assert image is not None
    placed = placed_picture(layer, image, given.request, given.frame_context)
    return Picture(placed.colour, lambda: placed.alpha)


def _picture_made_of(layer: PictureLayer, given: LayerInput) -> Any:
    image = _image_of(layer, given)
    return None if image is None else image.fingerprint


def _pass_made_of(layer: ShadowLayer | ReflectionLayer, given: LayerInput) -> Any:
    return layer.pass_ if layer.pass_ in given.frame_context.terms.frame.passes else None


def _shadow(layer: ShadowLayer, given: LayerInput) -> Picture:
    """The share of light that a shadow takes, as colour."""
    stored = sample_pass(given.frame_context.terms.frame, layer.pass_, given.request.viewport)
    return Picture(shadow_density(stored, layer.holds), lambda: None)


def _soft_stage(layer: ShadowLayer) -> Stage:
    def function(picture: Picture, request: EvaluationRequest, frame_context: FrameContext) -> Picture:
        sigma = layer.soft_px * request.viewport.scale
        return picture.with_colour(np.stack([gaussian(plane, sigma, sigma) for plane in picture.colour]))

    return Stage(
        "soften",
        lambda variant: layer.soft_px or None,
        function,
        lambda request, frame_context: reach_of_gaussian(layer.soft_px),
    )


def _shadow_stages(layer: ShadowLayer) -> tuple[Stage, ...]:
    return _corrections(layer), _soft_stage(layer)


def _reflection(layer: ReflectionLayer, given: LayerInput) -> Picture:
    light = given.frame_context.terms.light_of(layer.pass_, given.request)
    return _whole(np.asarray(light * np.float32(2.0**layer.level)))


def _render_input(layer: RenderLayer, given: LayerInput) -> LayerInput | None:
    evaluator = given.frame_context.find_render(layer)
    if evaluator is None:
        return None
    return LayerInput(evaluator.frame_context, further_request(layer, evaluator, given.request), evaluator)


def _render_made_of(layer: RenderLayer, given: LayerInput) -> Any:
    assert given.further is not None
    return given.further.beauty_inputs(given.request)


def _render(layer: RenderLayer, given: LayerInput) -> Picture:
    assert given.further is not None
    return given.further.beauty(given.request)


# One row for each kind of layer but the CG.
LAYER_KINDS: dict[str, LayerKind] = {
    "picture": LayerKind(_picture, _flat_stages, _picture_made_of),
    "solid": LayerKind(_solid, _flat_stages),
    "shadow": LayerKind(_shadow, _shadow_stages, _pass_made_of),
    "reflection": LayerKind(_reflection, lambda layer: (_corrections(layer),), _pass_made_of),
    "render": LayerKind(_render, _rendered_stages, _render_made_of, _render_input),
}


def waiting_layers(
    variant: Variant, passes: Collection[str], further: Collection[str]
) -> Iterator[tuple[AnyLayer, str, str]]:
    """Layers that show a pass or a further render which is not there: the layer, its field, and the name."""
    for layer in variant.plate.seen:
        if isinstance(layer, ShadowLayer | ReflectionLayer) and layer.pass_ not in passes:
            yield layer, "pass", layer.pass_
        if isinstance(layer, RenderLayer) and layer.render not in further:
            yield layer, "render", layer.render

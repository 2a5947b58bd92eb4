"""Plate as stages of the path: the CG made ready, then all layers laid on one another."""

from collections.abc import Callable, Sequence
from dataclasses import replace
from typing import Any

import numpy as np

from escala.core.planes import Matte, Planes
from escala.core.plate.merging import MERGE_REACH, DepthLayer, merge_by_depth
from escala.core.plate.operators import Layer, empty_layer, lay
from escala.core.plate.shadow import shadow_factor
from escala.model.plate import AnyLayer, CgLayer, Plate, RenderLayer, ShadowLayer
from escala.model.variant import Variant

from ..corrections.stage import corrections_stage
from ..frame_context import FrameContext
from ..pipeline import Picture, Stage
from ..request import EvaluationRequest
from .depth import spread_distance
from .further import aligned_plane, same_pixels
from .layers import LayerCorrections, LayerInput, clean_stage, edges_stage, layer_input, layer_inputs, layer_picture


def _laid_in(picture: Picture, request: EvaluationRequest, frame_context: FrameContext) -> Picture:
    """The layers from back to front, the CG among them."""
    given, seen = LayerInput(frame_context, request), request.variant.plate.seen
    place = _place_of_cg(seen)
    below = _beneath([layer for layer in seen[:place] if not _is_merged(layer)], given)
    if place < len(seen):
        top = _merged([layer for layer in seen if _is_merged(layer)], picture, given)
        operator = _operator(seen)
        below = top if below is None and operator == "over" else _on(below, top, operator, given)
    for layer in seen[place:]:
        below = below if _is_merged(layer) else _laid(below, layer, given)
    result = below or _empty(given)
    return Picture(result.colour, lambda: result.alpha)


def _place_of_cg(seen: Sequence[AnyLayer]) -> int:
    """Where the CG lies, and all that is merged with it by depth; that alone where the CG is not seen."""
    places = [i for i, layer in enumerate(seen) if isinstance(layer, CgLayer)]
    merged = [i for i, layer in enumerate(seen) if _is_merged(layer)]
    return (places or merged or [len(seen)])[0]


def _is_merged(layer: AnyLayer) -> bool:
    """Whether a layer is the CG or merged with it."""
    return isinstance(layer, CgLayer) or layer.operator == "depth"


def _operator(seen: Sequence[AnyLayer]) -> str:
    """How the CG, and what is merged with it, is laid in."""
    cg = next((layer for layer in seen if isinstance(layer, CgLayer)), None)
    return "over" if cg is None or cg.operator == "depth" else cg.operator


def _empty(given: LayerInput) -> Layer:
    return empty_layer(given.request.viewport.out_height, given.request.viewport.out_width)


def _on(below: Layer | None, top: Layer, operator: str, given: LayerInput) -> Layer:
    return lay(below or _empty(given), top, operator)


def _beneath(layers: Sequence[AnyLayer], given: LayerInput) -> Layer | None:
    """What lies beneath the CG, kept for each viewer while only the CG changes; None for nothing."""
    if not layers:
        return None

    def make() -> Layer | None:
        below: Layer | None = None
        for layer in layers:
            below = _laid(below, layer, given)
        return below

    found: Layer | None = _kept(given, "beneath", tuple(_made_of(layer, given) for layer in layers), make)
    return found


def _laid(below: Layer | None, layer: AnyLayer, given: LayerInput) -> Layer | None:
    """A layer on what is beneath; what is missing changes nothing."""
    if isinstance(layer, ShadowLayer):
        top = _layer(layer, given)
        if below is None or top is None:
            return below
        factor = shadow_factor(top.colour, layer.strength, layer.colour)
        return Layer(below.colour * factor, below.alpha)
    top = _layer(layer, given)
    if top is None:
        return below
    return top if below is None and layer.operator == "over" else _on(below, top, layer.operator, given)


def _layer(layer: AnyLayer, given: LayerInput) -> Layer | None:
    """A layer as it is laid in, at its opacity and matte, kept for each viewer; None where what it shows is missing."""
    own = layer_input(layer, given)
    if own is None:
        return None

    def make() -> Layer:
        picture = layer_picture(layer, own, given)
        return _limited(_as_layer(picture), layer, given)

    found: Layer = _kept(given, f"layer {layer.id}", _made_of(layer, given), make)
    return found


def _as_layer(picture: Picture) -> Layer:
    """A picture with its alpha; one without covers everything."""
    alpha = np.ones(picture.colour.shape[1:], np.float32) if picture.alpha is None else picture.alpha
    return Layer(picture.colour, alpha)


def _limited(found: Layer, layer: AnyLayer, given: LayerInput) -> Layer:
    """A layer times its opacity and matte."""
    matte = given.frame_context.matte(layer.matte, given.request)
    if matte is None:
        return found if layer.opacity == 1 else found.scaled(layer.opacity)
    return found.scaled(np.asarray(matte * np.float32(layer.opacity)))


def _merged(layers: Sequence[AnyLayer], picture: Picture, given: LayerInput) -> Layer:
    """The CG, and the layers that are merged with it by depth."""
    found = []
    for layer in layers:
        if isinstance(layer, CgLayer):
            top: Layer | None = _limited(_as_layer(picture), layer, given)
        else:
            top = _layer(layer, given)
        if top is not None:
            found.append((layer, top))
    if len(found) == 1:
        return found[0][1]
    if not found:
        return _empty(given)
    return merge_by_depth([DepthLayer(top, _distance(layer, top.alpha, given)) for layer, top in found])


def _distance(layer: AnyLayer, alpha: Matte, given: LayerInput) -> Planes:
    """The distance of each pixel of a layer."""
    if isinstance(layer, CgLayer):
        return spread_distance(given.frame_context, given.request)
    if isinstance(layer, RenderLayer):
        own = layer_input(layer, given)
        assert own is not None and own.further is not None
        first, other = given.frame_context.render, own.further.render
        if same_pixels(given.request.viewport, first, other):
            return spread_distance(own.frame_context, own.request)
        context = own.frame_context
        return aligned_plane(lambda at: spread_distance(context, at), own.request, first, other, np.inf)
    distance = layer.distance_in_scene
    assert distance is not None
    return np.where(alpha > 0, np.float32(distance), np.float32(np.inf)).astype(np.float32)


def _made_of(layer: AnyLayer, given: LayerInput) -> Any:
    """All that a layer is made of, beside the pixels of the frame."""
    variant, own = given.request.variant, layer_input(layer, given)
    if own is None:
        return layer.id, None
    inputs, keys = layer_inputs(layer, own), own.frame_context.terms.keys
    return layer, inputs, keys.for_interpretation("layer", colour_pipeline=own.request.colour_pipeline), variant.depth


def _kept(given: LayerInput, name: str, made_of: Any, make: Callable[[], Any]) -> Any:
    """A result of a viewport, kept for each viewer while what it is made of stays."""
    request, terms = given.request, given.frame_context.terms
    if not request.is_cacheable:
        return make()
    mattes = tuple(request.variant.mattes_of("plate", "depth").items())
    made_by = request.colour_pipeline.key, made_of, mattes
    place = terms.keys.for_interpretation("plate", name, request.viewport, request.is_preview, request.viewer)
    kept: tuple[Any, Any] | None = terms.cache.peek(place)
    if kept is not None and kept[0] == made_by:
        return kept[1]
    made = make()
    terms.cache.put(place, (made_by, made))
    return made


def _cg_corrections(variant: Variant) -> LayerCorrections:
    return LayerCorrections(variant.plate.cg.corrections)


def _plate(variant: Variant) -> Plate | None:
    """The plate where more is to be done than changing the CG by itself."""
    seen = variant.plate.seen
    is_cg_alone = len(seen) == 1 and isinstance(seen[0], CgLayer) and seen[0].is_laid_as_it_is
    return None if is_cg_alone else variant.plate


def _reach(request: EvaluationRequest, frame_context: FrameContext) -> float:
    merges = sum(_is_merged(layer) for layer in request.variant.plate.seen) > 1
    return MERGE_REACH / request.viewport.scale if merges else 0.0


def _layers_made_of(request: EvaluationRequest, frame_context: FrameContext) -> Any:
    given = LayerInput(frame_context, request)
    layers = tuple(_made_of(x, given) for x in request.variant.plate.seen if not isinstance(x, CgLayer))
    return layers, tuple(request.variant.mattes_of("plate", "depth").items())


def _if_seen(stage: Stage) -> Stage:
    """A stage of the CG, while that is seen."""
    return replace(stage, part=lambda variant: stage.part(variant) if variant.plate.cg.is_seen else None)


PLATE_STAGES = (
    _if_seen(clean_stage(lambda variant: variant.plate.cg)),
    _if_seen(corrections_stage("plate/cg", _cg_corrections)),
    _if_seen(edges_stage(lambda variant: variant.plate.cg)),
    Stage("plate", _plate, _laid_in, _reach, _layers_made_of),
)

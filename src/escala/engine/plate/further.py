"""Further renders of a shot as layers: how they are evaluated, and brought to the pixels of the first."""

from collections.abc import Callable
from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np

from escala.core.errors import BadSource
from escala.core.planes import Planes
from escala.model.balance import Balance
from escala.model.plate import Plate, RenderLayer
from escala.model.render import Render
from escala.model.source import SourceChoice
from escala.model.variant import Variant

from ..pipeline import Picture
from ..request import EvaluationRequest
from ..viewer.viewport import Viewport, filtered, full_viewport

if TYPE_CHECKING:
    from ..evaluator import Evaluator


def check_further(first: Render, other: Render) -> None:
    """Raises `BadSource` for a further render whose frame is another than that of the first."""
    if (other.width, other.height) != (first.width, first.height):
        raise BadSource(
            f"{other.name} is {other.width} × {other.height} and {first.name} {first.width} × {first.height} pixels: "
            "renders of one shot have the same size. Open it as a picture layer to fit it, or render it again"
        )


def frame_of_further(first: Render, other: Render, number: int) -> int | None:
    """The frame of a further render beside a frame of the first: the same number; a still is at every frame.

    None where it has no such frame, or another size: it is never fitted silently.
    """
    if (other.width, other.height) != (first.width, first.height):
        return None
    if len(other.frames) == 1:
        return other.first_frame
    return number if number in other.frames else None


def further_variant(layer: RenderLayer, variant: Variant, render: Render) -> Variant:
    """What of a variant counts for a further render: colour, its lights' levels by name, Depth, and the mattes.

    Recipe, surfaces, roles and removals are those of the first render alone. Its depth is read as that of the first,
    from a pass of the same name where one is named.
    """
    reading = variant.depth.reading
    if reading.pass_ is not None and render.find_pass(reading.pass_) is None:
        reading = reading.model_copy(update={"pass_": None})
    return Variant.model_construct(
        colour=variant.colour,
        display=variant.display,
        mattes=variant.mattes,
        balance=Balance.model_construct(lights={**variant.balance.lights, **layer.lights}),
        depth=variant.depth.model_copy(update={"reading": reading}),
        plate=Plate.model_construct(layers=(layer,)),
    )


def reading_variant(layer: RenderLayer) -> Variant:
    """A variant that reads a further render as its layer says, and changes nothing else."""
    return Variant.model_construct(source=SourceChoice.model_construct(**dict(layer.source)))


def further_request(layer: RenderLayer, evaluator: "Evaluator", request: EvaluationRequest) -> EvaluationRequest:
    """A request as a further render is evaluated with it; its viewport is still that of the first render."""
    variant = further_variant(layer, request.variant, evaluator.render)
    viewer = f"{request.viewer}, layer {layer.id}" if request.viewer else ""
    colour_pipeline = evaluator.colour_pipeline(variant)
    return replace(request, variant=variant, colour_pipeline=colour_pipeline, viewer=viewer)


def aligned_picture(
    make: Callable[[EvaluationRequest], Picture], request: EvaluationRequest, first: Render, other: Render
) -> Picture:
    """A picture of a further render at a viewport of the first: display windows lie on one another.

    Where the rasters of both begin alike, on the grid of the viewport's pyramid level, that level is evaluated; else
    the pixels of the full-resolution render, which are then filtered. Beyond its raster nothing is.
    """
    viewport = request.viewport
    (left, top), (own_left, own_top) = first.offset, other.offset
    x, y = viewport.x + own_left - left, viewport.y + own_top - top
    raster, step = other.raster, 1 << viewport.level
    is_inside = x >= 0 and y >= 0 and x + viewport.width <= raster.width and y + viewport.height <= raster.height
    if is_inside and x % step == 0 and y % step == 0:
        return make(request.at(replace(viewport, x=x, y=y)))
    inner_x, inner_y = max(0, x), max(0, y)
    width = min(x + viewport.width, raster.width) - inner_x
    height = min(y + viewport.height, raster.height) - inner_y
    colour = np.zeros((3, viewport.height, viewport.width), np.float32)
    alpha = np.zeros((1, viewport.height, viewport.width), np.float32)
    if width > 0 and height > 0:
        found = make(request.at(full_viewport(inner_x, inner_y, width, height)))
        rows, columns = slice(inner_y - y, inner_y - y + height), slice(inner_x - x, inner_x - x + width)
        colour[:, rows, columns] = found.colour
        alpha[:, rows, columns] = 1.0 if found.alpha is None else found.alpha
    brought = filtered(colour, viewport), filtered(alpha, viewport)[0]
    return Picture(brought[0], lambda: brought[1])


def aligned_plane(
    make: Callable[[EvaluationRequest], Planes], request: EvaluationRequest, first: Render, other: Render, beyond: float
) -> Planes:
    """A plane of data of a further render, (H, W), at a viewport of the first, by its nearest pixels."""
    viewport = request.viewport
    (left, top), (own_left, own_top) = first.offset, other.offset
    x, y = viewport.x + own_left - left, viewport.y + own_top - top
    whole = make(request.at(full_viewport(0, 0, other.raster.width, other.raster.height)))
    columns = x + ((np.arange(viewport.out_width) + 0.5) * viewport.width / viewport.out_width).astype(int)
    rows = y + ((np.arange(viewport.out_height) + 0.5) * viewport.height / viewport.out_height).astype(int)
    out = np.full((viewport.out_height, viewport.out_width), beyond, np.float32)
    down, across = (rows >= 0) & (rows < whole.shape[0]), (columns >= 0) & (columns < whole.shape[1])
    out[np.ix_(down, across)] = whole[np.ix_(rows[down], columns[across])]
    return out


def same_pixels(viewport: Viewport, first: Render, other: Render) -> bool:
    """Whether a viewport of the first render is one of the other too."""
    (left, top), (own_left, own_top) = first.offset, other.offset
    is_larger = other.raster.width >= first.raster.width and other.raster.height >= first.raster.height
    return (left, top) == (own_left, own_top) and is_larger

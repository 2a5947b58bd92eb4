"""Labels of a variant: their pictures from files, and what is laid over a colour pass."""

import numpy as np

from escala.core.colour.file_colour import FileColour, input_space_of
from escala.core.planes import Matte, Planes, as_planes
from escala.core.roles import Role
from escala.core.surface.label import PicturePyramid, Placement, lay_label, picture_pyramid
from escala.media.limits import check_memory
from escala.model.surface import Label

from ..beauty.terms import Terms
from ..colour.pipeline import ColourPipeline
from ..images import OutsideImage
from ..mattes.kinds import pass_of_role
from ..request import EvaluationRequest
from ..viewer.viewport import Viewport, sample_pass

# What a pixel takes while a pyramid is made: four values as stored, converted, associated, and in all levels.
_PYRAMID_BYTES = 4 * 4 * 4


def pyramid_of(image: OutsideImage, colour_pipeline: ColourPipeline) -> PicturePyramid:
    """An image in the working space, associated, with its halves. Raises `TooLarge` for more than memory can hold."""
    raster = image.frame.header.raster
    check_memory(image.source.path, raster.width * raster.height * _PYRAMID_BYTES)
    colour, alpha, facts = image.stored()
    config, declared = colour_pipeline.config, FileColour("", facts.chromaticities, facts.told, facts.encoded)
    space = image.source.space or input_space_of(config, declared).name
    light = config.convert(colour, config.space(space), colour_pipeline.working.name)
    if alpha is None:
        alpha = np.ones(light.shape[1:], np.float32)
    elif not image.source.is_associated:
        light = light * alpha
    return picture_pyramid(as_planes(np.concatenate([light, alpha[None]])))


def uv_pass_of(label: Label, terms: Terms) -> str | None:
    """The uv pass that a label lies on; None where the render has none of this name, or none at all."""
    name = label.uv or pass_of_role(terms.render, Role.UV)
    there = name in terms.frame.passes and len(terms.frame.passes[name].channels) >= 2
    return name if there else None


def labelled(
    colour: Planes, label: Label, where: Matte, image: OutsideImage, request: EvaluationRequest, terms: Terms
) -> Planes:
    """A colour pass with a label over it as far as `where` covers; both in the working space, (3, H, W).

    Where the render has no uv pass for it, the label waits: the colour stays.
    """
    name = uv_pass_of(label, terms)
    if name is None:
        return colour
    key = image.key("pyramid", label.space, request.colour_pipeline.config.key, request.colour_pipeline.working.name)
    pyramid = terms.cache.get(key, lambda: pyramid_of(image, request.colour_pipeline))
    placement = Placement(label.scale, label.move, label.turn, label.outside, label.v_up)
    place, (top, left) = _with_edge(request.viewport, terms)
    uv = terms.kept(
        terms.keys.for_pixels("uv", name, place),
        lambda: as_planes(sample_pass(terms.frame, name, place, exact=True)),
        request,
    )
    return lay_label(colour, where, uv[:2], pyramid, placement, (top, left))


def _with_edge(viewport: Viewport, terms: Terms) -> tuple[Viewport, tuple[int, int]]:
    """A look with a pixel more around it, for the differences of uv; rows and columns that came before it."""
    if not viewport.is_level:
        return viewport, (0, 0)
    raster, step = terms.render.raster, 1 << viewport.level
    grown = viewport.grown(step, raster.width, raster.height)
    return grown, ((viewport.y - grown.y) // step, (viewport.x - grown.x) // step)

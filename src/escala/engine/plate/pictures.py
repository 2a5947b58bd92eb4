"""Pictures of layers: from their files into the working space, placed in the frame."""

from dataclasses import dataclass
from math import gcd

import numpy as np

from escala.core.colour.file_colour import FileColour, InputSpace, input_space_of
from escala.core.planes import Planes, as_planes
from escala.core.plate.operators import Layer, empty_layer
from escala.core.plate.placing import Placement, place_picture, sampling
from escala.core.viewer.pyramid import halve_box
from escala.media.limits import check_memory
from escala.model.plate import PictureLayer

from ..cache import ByteCache
from ..colour.pipeline import ColourPipeline
from ..frame_context import FrameContext
from ..images import OutsideImage
from ..request import EvaluationRequest

_BAND_ROWS = 256
# Colour and alpha of a pixel, in all levels from the first half on.
_PYRAMID_BYTES = 4 * 4 / 3


def placed_picture(
    layer: PictureLayer, image: OutsideImage, request: EvaluationRequest, frame_context: FrameContext
) -> Layer:
    """An image as a viewport shows it, associated, in the working space."""
    viewport, part = request.viewport, frame_context.part_of_frame(request.viewport)
    picture = PlatePicture(image, request.colour_pipeline, frame_context.terms.cache)
    display = image.frame.header.display
    size, frame = (display.width, display.height), (part.width, part.height)
    aspect = image.frame.header.pixel_aspect / frame_context.render.pixel_aspect
    placement = Placement(layer.fit, layer.scales, layer.turn, layer.move)
    shape = viewport.out_height, viewport.out_width
    sampled = sampling(placement.to_picture(size, frame, aspect), part, shape, size, picture.levels)
    if sampled.is_empty:
        return empty_layer(*shape)
    return place_picture(picture.region(sampled.level, sampled.rows, sampled.columns, request), sampled, shape)


def image_space(image: OutsideImage, colour_pipeline: ColourPipeline) -> InputSpace:
    """The space that an image is read in, and why."""
    if image.source.space:
        return InputSpace(colour_pipeline.config.space(image.source.space), "set manually")
    facts = image.colour_pass.colour
    return input_space_of(colour_pipeline.config, FileColour("", facts.chromaticities, facts.told, facts.encoded))


@dataclass(frozen=True)
class PlatePicture:
    """An image read region by region, at any level of its pyramid, associated and in the working space.

    Values that are proportional to light are filtered as they are stored. Others are converted before they are
    filtered, band by band; their levels from the first half on are kept.
    """

    image: OutsideImage
    colour_pipeline: ColourPipeline
    cache: ByteCache

    @property
    def levels(self) -> int:
        """How many levels there are, whose pixels begin where those of the displayed picture do."""
        display, raster = self.image.frame.header.display, self.image.frame.header.raster
        offset = gcd(display.x - raster.x, display.y - raster.y)
        count = len(self.image.colour_pass.levels)
        if offset == 0 or not self._is_filtered_as_stored:
            return count
        return min(count, (offset & -offset).bit_length())

    @property
    def _space(self) -> str:
        return image_space(self.image, self.colour_pipeline).name

    @property
    def _is_filtered_as_stored(self) -> bool:
        is_light = self.colour_pipeline.config.is_scene_linear(self._space)
        return is_light and (self.image.source.alpha == "associated" or not self.image.has_alpha)

    def region(self, level: int, rows: slice, columns: slice, request: EvaluationRequest) -> Planes:
        """Rows and columns of a level of the displayed picture, (4, h, w). Raises `TooLarge` for what fills memory."""
        if level == 0 or self._is_filtered_as_stored:
            return self._converted(level, rows, columns)
        facts = self._space, self.colour_pipeline.config.key, self.colour_pipeline.working.name, self.image.source.alpha
        halves = self.cache.get(self.image.key("halves", *facts), lambda: self._halves(request))
        return np.ascontiguousarray(halves[level - 1][:, rows, columns])

    def rows(self, rows: slice) -> Planes:
        """Whole rows of the displayed picture at full size, (4, h, w)."""
        return self._converted(0, rows, slice(0, self.image.frame.header.display.width))

    def _converted(self, level: int, rows: slice, columns: slice) -> Planes:
        colour, alpha = self.image.stored_region(level, rows, columns)
        config, working = self.colour_pipeline.config, self.colour_pipeline.working.name
        kind = self.image.source.alpha
        if alpha is None or kind == "none":
            alpha = np.ones(colour.shape[1:], np.float32)
        elif kind == "associated" and not config.is_scene_linear(self._space):
            # Encoded values are those of the colour itself; where nothing is, of what is there.
            share = np.where(alpha > 0, alpha, np.float32(1.0))
            return _with_alpha(config.convert(as_planes(colour / share), self._space, working) * share, alpha)
        light = config.convert(colour, self._space, working)
        return _with_alpha(light * alpha if kind == "unassociated" else light, alpha)

    def _halves(self, request: EvaluationRequest) -> list[Planes]:
        """All levels from the first half on, in the working space."""
        display = self.image.frame.header.display
        check_memory(self.image.source.path, int(display.width * display.height * _PYRAMID_BYTES))
        bands = []
        for top in range(0, display.height, _BAND_ROWS):
            request.report(top / display.height, "plate")
            rows = slice(top, min(display.height, top + _BAND_ROWS))
            band = self._converted(0, rows, slice(0, display.width))
            bands.append(np.stack([halve_box(plane) for plane in band]))
        levels = [np.concatenate(bands, axis=1)]
        while max(levels[-1].shape[1:]) > 1:
            levels.append(np.stack([halve_box(plane) for plane in levels[-1]]))
        return levels


def _with_alpha(light: Planes, alpha: Planes) -> Planes:
    return as_planes(np.concatenate([light, alpha[None]]))

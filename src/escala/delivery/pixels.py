"""Pixels of what is delivered: evaluated in bands, in the space or view of the file, in the type that it stores."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from escala.core.colour.config import View
from escala.core.colour.interop import Encoding
from escala.core.planes import Planes, as_planes, narrow_to_half
from escala.engine.colour.pipeline import ColourPipeline
from escala.engine.evaluator import Evaluator
from escala.engine.progress import Progress, subrange
from escala.engine.request import EvaluationRequest, Quality
from escala.engine.viewer.viewport import BAND_REACHES, BAND_ROWS, Viewport, bands_of, full_viewport, resize_planes
from escala.media.stills import still_pixels
from escala.media.windows import Window
from escala.model.delivery_preset import DeliveryFile
from escala.model.render import WindowBox
from escala.model.variant import Variant

from .order import FileOrder
from .outputs import OUTPUTS, Layer


@dataclass(frozen=True)
class Target:
    """The colour that a file holds: pixels of a space, or of a view. `words`: what it is called."""

    colour_pipeline: ColourPipeline
    space: str
    view: View | None = None

    @property
    def words(self) -> str:
        """The name of the space, or of display and view."""
        return self.space if self.view is None else f"{self.view.display}, {self.view.view}"

    @cached_property
    def encoding(self) -> Encoding | None:
        """The encoding that tags name; None where it is unknown, and for views that pass data through."""
        config = self.colour_pipeline.config
        return config.encoding_of(self.space) if self.view is None else config.encoding_of_view(self.view)

    def encode(self, planes: Planes, space: str) -> Planes:
        """Colour of a space, (3, H, W), as the file holds it; the same bits where it is in that space already."""
        config = self.colour_pipeline.config
        return (
            config.convert(planes, space, self.space) if self.view is None else config.display(planes, space, self.view)
        )


def target_of(file: DeliveryFile, colour_pipeline: ColourPipeline) -> Target:
    """Resolve the colour of a file. Raises `UnknownChoice` for a space, display or view that is not there."""
    config = colour_pipeline.config
    if not file.is_as_shown:
        return Target(colour_pipeline, config.space(file.space or colour_pipeline.delivery_space))
    own = colour_pipeline.view
    if file.display is None:
        view = View(own.display, file.view or own.view, own.look)
    else:
        views = config.views.get(file.display, [""])
        view = View(file.display, file.view or (own.view if own.view in views else views[0]), own.look)
    return Target(colour_pipeline, colour_pipeline.working.name, config.check_view(view))


@dataclass(frozen=True)
class Pixels:
    """A layer as a file stores it. `planes`: (C, H, W); for whole numbers (H, W, C), alpha last.

    `letters`: its channels; `is_colour`: whether `Target` says what they are.
    """

    name: str
    planes: NDArray[Any]
    letters: tuple[str, ...]
    is_colour: bool
    has_alpha: bool


def window_of(one: FileOrder, evaluator: Evaluator) -> Window:
    """The pixels that files of an order hold: EXR at full size the data window, all else what is displayed."""
    box = evaluator.render.raster if _is_raster(one.file) else evaluator.render.display
    if one.file.size is None:
        return Window(box.x, box.y, box.width, box.height)
    return Window(0, 0, *_size(one.file, box))


def _is_raster(file: DeliveryFile) -> bool:
    return file.format == "exr" and file.size is None


def _size(file: DeliveryFile, box: WindowBox) -> tuple[int, int]:
    if isinstance(file.size, tuple):
        return file.size
    factor = file.size or 1.0
    return max(1, round(box.width * factor)), max(1, round(box.height * factor))


def frame_pixels(
    evaluator: Evaluator, variant: Variant, one: FileOrder, names: Sequence[str], target: Target, progress: Progress
) -> list[Pixels]:
    """The layers of a frame as the files of an order store them, in the order of names."""
    file, render = one.file, evaluator.render
    box = render.raster if _is_raster(file) else render.display
    place = full_viewport(box.x - render.raster.x, box.y - render.raster.y, box.width, box.height)
    parts: dict[str, list[Pixels]] = {name: [] for name in names}
    whole: dict[str, list[Layer]] = {name: [] for name in names}
    for request in _bands(evaluator, variant, place, progress):
        if file.what != "result":  # whose stages report themselves
            request.report(0.0, file.what)
        for layer in OUTPUTS[file.what].layers(evaluator, request, names, one.station, target.view is not None):
            if file.size is None:
                parts[layer.name].append(_stored(layer, file, target))
            else:
                whole[layer.name].append(layer)
    evaluator.frame.release()
    if file.size is not None:
        size = _size(file, box)
        parts = {
            name: [_stored(_resized(_joined(layers), size, target), file, target)] for name, layers in whole.items()
        }
    axis = 1 if file.is_float else 0
    return [replace(found[0], planes=np.concatenate([p.planes for p in found], axis)) for found in parts.values()]


def _bands(evaluator: Evaluator, variant: Variant, place: Viewport, progress: Progress) -> Iterator[EvaluationRequest]:
    """A place of the raster in bands; what looks around itself is worked out beyond each, so these are higher."""
    reach = evaluator.pipeline.reach(evaluator.make_request(variant, place, Quality.EXPORT))
    for band in bands_of(place, max(BAND_ROWS, int(BAND_REACHES * reach))):
        begin = (band.y - place.y) / place.height
        band_progress = subrange(progress, begin, begin + band.height / place.height)
        yield evaluator.make_request(variant, band, Quality.EXPORT, progress=band_progress)


def _stored(layer: Layer, file: DeliveryFile, target: Target) -> Pixels:
    letters, alpha = tuple(layer.letters), layer.alpha
    if layer.space is not None and len(layer.planes) == 4 and file.format != "exr":
        layer, letters, alpha = replace(layer, planes=layer.planes[:3]), letters[:3], as_planes(layer.planes[3])
    planes, is_colour = layer.planes, layer.space is not None
    wants_alpha = alpha is not None and (file.format == "exr" or file.alpha)
    if layer.space is not None:
        colour = as_planes(planes[:3])
        if wants_alpha and alpha is not None and file.format != "exr":
            colour = _unassociated(colour, alpha)
        converted = target.encode(colour, layer.space)
        planes = converted if len(planes) == 3 else np.concatenate([converted, as_planes(planes[3:])])
    if wants_alpha and alpha is not None:
        planes, letters = np.concatenate([planes, alpha[None]]), (*letters, "A")
    return Pixels(layer.name, _typed(planes, layer, file), letters, is_colour, wants_alpha)


def _typed(planes: NDArray[Any], layer: Layer, file: DeliveryFile) -> NDArray[Any]:
    """Planes in the type of a file; data and mattes never in less than they were stored in."""
    if not file.is_float:
        return still_pixels(as_planes(planes), file.depth)
    wanted = file.pixel_type or ("half" if layer.space is not None else None)
    if layer.pixel_type is not None and (wanted is None or (layer.space is None and layer.pixel_type != "half")):
        wanted = layer.pixel_type
    if wanted == "uint":
        return planes
    return narrow_to_half(as_planes(planes)) if wanted == "half" else as_planes(planes)


def _unassociated(colour: Planes, alpha: Planes) -> Planes:
    """Colour over its alpha; colour where alpha is 0 is light without a surface, and stays."""
    return np.asarray(colour / np.where(alpha > 0, alpha, np.float32(1.0)), np.float32)


def _joined(layers: Sequence[Layer]) -> Layer:
    alphas = [layer.alpha for layer in layers if layer.alpha is not None]
    alpha = np.concatenate(alphas) if alphas else None
    return replace(layers[0], planes=np.concatenate([layer.planes for layer in layers], axis=1), alpha=alpha)


def _resized(layer: Layer, size: tuple[int, int], target: Target) -> Layer:
    """At another size: area-filtered in linear light; data by its nearest pixels."""
    if layer.space is None:
        is_matte = layer.letters == "A"
        planes = _fitted(as_planes(layer.planes), size) if is_matte else _nearest(layer.planes, size)
        return replace(layer, planes=planes)
    config, space, planes = target.colour_pipeline.config, layer.space, as_planes(layer.planes)
    if not config.is_scene_linear(space):
        linear = config.convert(planes[:3], space, target.colour_pipeline.working.name)
        space, planes = target.colour_pipeline.working.name, np.concatenate([linear, planes[3:]])
    alpha = None if layer.alpha is None else _fitted(layer.alpha[None], size)[0]
    return replace(layer, planes=_fitted(planes, size), space=space, alpha=alpha)


def _fitted(planes: Planes, size: tuple[int, int]) -> Planes:
    """Area means where smaller, linear between pixels where larger."""
    width, height = size
    if width > planes.shape[2] or height > planes.shape[1]:
        import cv2  # few files are larger than their render

        large = [cv2.resize(plane, size, interpolation=cv2.INTER_LINEAR) for plane in planes]
        return np.ascontiguousarray(large, np.float32)
    return resize_planes(planes, width, height)


def _nearest(planes: NDArray[Any], size: tuple[int, int]) -> NDArray[Any]:
    width, height = size
    rows = ((np.arange(height) + 0.5) * planes.shape[1] / height).astype(int)
    columns = ((np.arange(width) + 0.5) * planes.shape[2] / width).astype(int)
    return np.ascontiguousarray(planes[:, rows][:, :, columns])

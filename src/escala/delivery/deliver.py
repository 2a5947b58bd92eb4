"""One frame of a variant to one file: scene-linear EXR, or display-encoded PNG, TIFF, JPEG."""

from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from escala.core.errors import BadSource, UnreadableFile, choose
from escala.core.planes import Planes, narrow_to_half
from escala.engine.colour.pipeline import ColourPipeline
from escala.engine.evaluator import Evaluator
from escala.engine.pipeline import Picture
from escala.engine.progress import Progress, no_progress, subrange
from escala.engine.request import Quality
from escala.engine.stations import STATION_BY_NAME
from escala.engine.viewer.viewport import BAND_REACHES, BAND_ROWS, Viewport, bands_of, full_viewport
from escala.media.exr import read_parts, writable_attributes, write_exr
from escala.media.stills import still_pixels, write_still
from escala.media.windows import Window
from escala.model.render import Render, WindowBox
from escala.model.variant import Variant

STILLS = (".png", ".tif", ".tiff", ".jpg", ".jpeg")


@dataclass(frozen=True)
class Delivery:
    """What a file shall hold. `space`: scene-linear pixels of that space; None: the variant's display and view.

    `pixel_type`: half or float, for EXR. `bits`: 8 or 16, for PNG and TIFF. `station`: where on the path it is taken.
    """

    path: Path
    space: str | None = None
    as_view: bool = False
    pixel_type: str = "half"
    bits: int = 16
    station: str = "display"


def write_frame(evaluator: Evaluator, variant: Variant, delivery: Delivery, progress: Progress = no_progress) -> None:
    """Evaluate a frame at full size and write it; `progress` reports the fraction done, and may raise to cancel.

    Raises `BadSource` for an extension that is not written, `UnknownChoice` for a station that is not there.
    """
    suffix = delivery.path.suffix.lower()
    if suffix != ".exr" and suffix not in STILLS:
        raise BadSource(f"{delivery.path}: files of kind {suffix or 'without extension'} are not written")
    if not delivery.path.parent.is_dir():
        raise UnreadableFile(delivery.path, "the folder does not exist")
    choose("station", delivery.station, STATION_BY_NAME)
    colour_pipeline = evaluator.colour_pipeline(variant)
    if suffix == ".exr":
        _write_exr(evaluator, variant, colour_pipeline, delivery, progress)
    else:
        _write_still(evaluator, variant, colour_pipeline, delivery, progress)


def _holds(colour_pipeline: ColourPipeline, delivery: Delivery) -> str:
    """What the file holds, in words: a space, or a display and its view."""
    if delivery.as_view:
        return f"{colour_pipeline.view.display}, {colour_pipeline.view.view}"
    return colour_pipeline.config.space(delivery.space or colour_pipeline.delivery_space)


def _bands(
    evaluator: Evaluator, variant: Variant, delivery: Delivery, place: Viewport, progress: Progress
) -> Iterator[Picture]:
    """A place of the raster as it leaves, in bands; at the end memory is given back."""
    # What looks around itself is worked out beyond each band: where that is far, bands are higher.
    reach = evaluator.pipeline.reach(evaluator.make_request(variant, place, Quality.EXPORT))
    for band in bands_of(place, max(BAND_ROWS, int(BAND_REACHES * reach))):
        begin = (band.y - place.y) / place.height
        band_progress = subrange(progress, begin, begin + band.height / place.height)
        request = evaluator.make_request(variant, band, Quality.EXPORT, progress=band_progress)
        if delivery.as_view:
            yield evaluator.shown(request, delivery.station)
        else:
            yield evaluator.delivered(request, _holds(request.colour_pipeline, delivery), delivery.station)
    evaluator.frame.release()


def _write_still(
    evaluator: Evaluator, variant: Variant, colour_pipeline: ColourPipeline, delivery: Delivery, progress: Progress
) -> None:
    """The displayed picture, made band by band straight into the whole numbers that the file holds."""
    shown = _whole(evaluator.render, evaluator.render.display)
    bands = _bands(evaluator, variant, delivery, shown, progress)
    pixels = [still_pixels(band.colour, delivery.path.suffix, delivery.bits) for band in bands]
    words = {"Software": "Escala", "ImageDescription": _holds(colour_pipeline, delivery)}
    write_still(delivery.path, np.concatenate(pixels), words)


def _write_exr(
    evaluator: Evaluator, variant: Variant, colour_pipeline: ColourPipeline, delivery: Delivery, progress: Progress
) -> None:
    to_stored = narrow_to_half if delivery.pixel_type == "half" else np.asarray
    render, raster = evaluator.render, _whole(evaluator.render, evaluator.render.raster)
    channels: dict[str, list[Planes]] = {letter: [] for letter in "RGBA"}
    for band in _bands(evaluator, variant, delivery, raster, progress):
        planes = [*band.colour] if band.alpha is None else [*band.colour, band.alpha]
        for letter, plane in zip("RGBA", planes, strict=False):
            channels[letter].append(to_stored(plane))
    whole = {letter: np.concatenate(parts) for letter, parts in channels.items() if parts}
    name = _holds(colour_pipeline, delivery)
    attributes = source_attributes(evaluator)
    attributes["escalaColourSpace"] = name
    gamut = None if delivery.as_view else colour_pipeline.config.gamut_of_space(name)
    if gamut is not None:
        attributes["chromaticities"] = gamut
    attributes["pixelAspectRatio"] = render.pixel_aspect
    write_exr(delivery.path, whole, _window(render.raster), _window(render.display), attributes)


def _whole(render: Render, box: WindowBox) -> Viewport:
    """A window of the render, pixel by pixel."""
    return full_viewport(box.x - render.raster.x, box.y - render.raster.y, box.width, box.height)


def source_attributes(evaluator: Evaluator) -> dict[str, Any]:
    """The metadata of the frame's own file, as it was typed there; what describes its passes is excluded."""
    first = Path(next(iter(evaluator.frame.passes.values())).file)
    if first.suffix.lower() != ".exr":
        return {}
    try:
        attributes = writable_attributes(read_parts(evaluator.roots.readable(first))[0].attributes)
    except (UnreadableFile, BadSource):  # moved away since: the pixels are still in the store
        return {}
    return {key: value for key, value in attributes.items() if not key.startswith("cryptomatte/")}


def _window(box: Any) -> Window:
    return Window(box.x, box.y, box.width, box.height)

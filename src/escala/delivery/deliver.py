"""One frame of a variant to one file: scene-linear EXR, or display-encoded PNG, TIFF, JPEG."""

from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from escala.core.errors import BadSource, UnreadableFile
from escala.core.planes import Planes, narrow_to_half
from escala.engine.colouring import Colouring
from escala.engine.look import full_look
from escala.engine.picture import FrameEngine
from escala.media.exr import read_parts, writable_attributes, write_exr
from escala.media.stills import write_still
from escala.media.windows import Window
from escala.model.variant import Variant

STILLS = (".png", ".tif", ".tiff", ".jpg", ".jpeg")


@dataclass(frozen=True)
class Delivery:
    """What a file shall hold. `space`: scene-linear pixels of that space; None: the variant's display and view.

    `pixel_type`: half or float, for EXR. `bits`: 8 or 16, for PNG and TIFF.
    """

    path: Path
    space: str | None = None
    as_view: bool = False
    pixel_type: str = "half"
    bits: int = 16


def deliver_frame(engine: FrameEngine, variant: Variant, delivery: Delivery) -> None:
    """Evaluate a frame at full size and write it. Raises `BadSource` for an extension that is not written."""
    suffix = delivery.path.suffix.lower()
    if suffix != ".exr" and suffix not in STILLS:
        raise BadSource(f"{delivery.path}: files of kind {suffix or 'without extension'} are not written")
    if not delivery.path.parent.is_dir():
        raise UnreadableFile(delivery.path, "its folder does not exist")
    colouring = engine.colouring(variant)
    planes, name = _pixels(engine, variant, colouring, delivery)
    if suffix == ".exr":
        _write_exr(engine, colouring, delivery, planes, name)
    else:
        rows, columns = _window(engine.render.display).within(_window(engine.render.raster))
        shown = np.ascontiguousarray(planes[:, rows, columns])
        write_still(delivery.path, shown, delivery.bits, {"Software": "Escala", "ImageDescription": name})


def _pixels(engine: FrameEngine, variant: Variant, colouring: Colouring, delivery: Delivery) -> tuple[Planes, str]:
    """The picture, and the name of what it holds."""
    raster = engine.render.raster
    look = full_look(0, 0, raster.width, raster.height)
    if delivery.as_view:
        planes = colouring.config.display(engine.full_finish(variant, look), colouring.working.name, colouring.view)
        return planes, f"{colouring.view.display}, {colouring.view.view}"
    space = colouring.config.space(delivery.space or colouring.delivery_space)
    return engine.delivered(variant, look, space), space


def _write_exr(engine: FrameEngine, colouring: Colouring, delivery: Delivery, planes: Planes, name: str) -> None:
    to_stored = narrow_to_half if delivery.pixel_type == "half" else np.asarray
    channels = {letter: to_stored(plane) for letter, plane in zip("RGB", planes, strict=True)}
    render = engine.render
    alpha = engine.alpha(full_look(0, 0, render.raster.width, render.raster.height))
    if alpha is not None:
        channels["A"] = to_stored(alpha)
    attributes = source_attributes(engine)
    attributes["escalaColourSpace"] = name
    gamut = None if delivery.as_view else colouring.config.gamut_of_space(name)
    if gamut is not None:
        attributes["chromaticities"] = gamut
    attributes["pixelAspectRatio"] = render.pixel_aspect
    write_exr(delivery.path, channels, _window(render.raster), _window(render.display), attributes)


def source_attributes(engine: FrameEngine) -> dict[str, Any]:
    """The metadata of the frame's own file, as it was typed there; what describes its passes is left out."""
    first = Path(next(iter(engine.frame.passes.values())).file)
    if first.suffix.lower() != ".exr":
        return {}
    try:
        attributes = writable_attributes(read_parts(first)[0].attributes)
    except UnreadableFile:  # moved away since: the pixels are still in the store
        return {}
    return {key: value for key, value in attributes.items() if not key.startswith("cryptomatte/")}


def _window(box: Any) -> Window:
    return Window(box.x, box.y, box.width, box.height)

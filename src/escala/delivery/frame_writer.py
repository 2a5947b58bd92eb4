"""A frame of a variant to its files: each whole or not at all, each tagged with what it holds."""

from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

from escala.core.errors import BadSource, UnreadableFile
from escala.engine.evaluator import Evaluator
from escala.engine.progress import Progress, no_progress, subrange
from escala.media.atomic_write import translate_write_errors
from escala.media.exr import read_parts, writable_attributes, write_exr
from escala.media.limits import check_memory
from escala.media.repack import channel_name
from escala.media.stills import StillOptions, write_still
from escala.media.whole_files import is_whole
from escala.media.windows import Window
from escala.model.delivery_preset import DeliveryFile
from escala.model.variant import Variant

from .order import FileOrder, Order, paths_of
from .pixels import Pixels, Target, frame_pixels, target_of, window_of

# Bands, and the whole that they are joined to.
_AT_ONCE = 2


def write_frame(evaluator: Evaluator, order: Order, number: int, progress: Progress = no_progress) -> tuple[Path, ...]:
    """Evaluate a frame at full size and write its files; `progress` gets the fraction done, and may raise to cancel.

    `evaluator`: of the frame as the variant reads it. Returns the files, those that were kept too. Raises `BadSource`
    for what is not there, `UnreadableFile` or `NoRoom` where a file cannot be written.
    """
    written: list[Path] = []
    for done, one in enumerate(order.stills):
        share = subrange(progress, done / len(order.stills), (done + 1) / len(order.stills))
        paths = paths_of(order, one, evaluator.render, number)
        written += paths
        missing = {path: names for path, names in paths.items() if not (order.keeps and is_whole(path))}
        if missing:
            _write_files(evaluator, order.variant, one, missing, share)
    return tuple(written)


def _write_files(
    evaluator: Evaluator, variant: Variant, one: FileOrder, paths: Mapping[Path, Sequence[str]], progress: Progress
) -> None:
    for folder in {path.parent for path in paths}:
        with translate_write_errors(folder):
            folder.mkdir(parents=True, exist_ok=True)
    target = target_of(one.file, evaluator.colour_pipeline(variant))
    names = [name for held in paths.values() for name in held]
    raster = evaluator.render.raster
    kept = 4 if one.file.size is not None or one.file.pixel_type == "float" else 2
    check_memory(next(iter(paths)), _AT_ONCE * kept * 3 * len(names) * raster.width * raster.height)
    found = {made.name: made for made in frame_pixels(evaluator, variant, one, names, target, progress)}
    for path, held in paths.items():
        layers = [found[name] for name in held]
        if one.file.format == "exr":
            _write_exr(evaluator, path, one, layers, target)
        else:
            _write_still(path, one.file, layers[0], target)


def _write_still(path: Path, file: DeliveryFile, layer: Pixels, target: Target) -> None:
    pixels = layer.planes.transpose(1, 2, 0) if file.is_float else layer.planes
    words = {"Software": "Escala"} | ({"ImageDescription": target.words} if layer.is_colour else {})
    encoding = target.encoding if layer.is_colour else None
    options = StillOptions(encoding, file.packing, file.quality or 95, layer.has_alpha)
    write_still(path, pixels, words, options)


def _write_exr(evaluator: Evaluator, path: Path, one: FileOrder, layers: Sequence[Pixels], target: Target) -> None:
    is_shared = one.file.is_layered and one.file.what != "result"
    channels: dict[str, Any] = {}
    for layer in layers:
        for letter, plane in zip(layer.letters, layer.planes, strict=True):
            name = channel_name(layer.name, letter, layer.letters) if is_shared else letter
            if name in channels:
                raise BadSource(f"{path.name}: the channel {name} would be there twice: use {{name}} in names")
            channels[name] = plane
    attributes = source_attributes(evaluator)
    for stale in ("colorInteropID", "chromaticities"):
        attributes.pop(stale, None)
    if any(layer.is_colour for layer in layers):
        attributes["escalaColourSpace"] = target.words
        if target.encoding is not None:
            attributes["colorInteropID"] = target.encoding.identifier
            attributes["chromaticities"] = target.encoding.chromaticities
    attributes["pixelAspectRatio"] = evaluator.render.pixel_aspect
    data = window_of(one, evaluator)
    box = evaluator.render.display
    display = Window(box.x, box.y, box.width, box.height) if one.file.size is None else data
    write_exr(path, channels, data, display, attributes, one.file.packing)


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

"""Whether an order can be written: what `check_order` refuses, no frame has to find out."""

from collections.abc import Iterator, Sequence

from escala.core.errors import BadSource, choose
from escala.engine.colour.pipeline import ColourPipeline, resolve_colour
from escala.engine.evaluator_pool import EvaluatorPool
from escala.engine.stations import STATION_BY_NAME
from escala.model.delivery_preset import DeliveryFile, DeliveryPreset
from escala.model.render import Render
from escala.model.time import Time
from escala.model.variant import Variant

from .order import Order, names_of, paths_of
from .outputs import OUTPUTS
from .pixels import target_of


def check_order(evaluator_pool: EvaluatorPool, order: Order) -> None:
    """Raises `BadSource` or `UnknownChoice` for what an order names and its render or colour config does not have.

    Also where two files would have one name, and for data passes in a format that cannot hold them.
    """
    read = evaluator_pool.interpretation_of(order.shot, order.render, order.variant)
    colour_pipeline = resolve_colour(read, order.variant, evaluator_pool.roots)
    for one in order.files:
        choose("station", one.station, STATION_BY_NAME)
        target_of(one.file, colour_pipeline)
        _check_storable(one.file, read, names_of(one, read, order.variant, order.time(min(order.frames))))
    _check_names(order, read)


def _check_names(order: Order, read: Render) -> None:
    taken: dict[str, tuple[int, int]] = {}
    for index, one in enumerate(order.files):
        first, last = min(order.frames), max(order.frames)
        for number in dict.fromkeys((first,) if one.file.is_video else (first, last)):
            for path in paths_of(order, one, read, number):
                holder = taken.setdefault(str(path).casefold(), (index, number))
                if holder[0] != index:
                    raise BadSource(f"two files would be named {path.name}: use other names")
                if holder[1] != number:
                    raise BadSource(f"{path.name} would be the file of several frames: use {{frame}} in names")


def _check_storable(file: DeliveryFile, read: Render, names: Sequence[str]) -> None:
    if file.what != "passes" or file.format == "exr":
        return
    for name in names:
        found = read.find_pass(name)
        if found is None or (found.is_colour and len(found.channels) >= 3):
            continue
        if file.format != "tiff" or file.pixel_type != "float" or found.pixel_type == "uint":
            raise BadSource(f"{name} holds data, which {file.format} cannot keep: choose EXR, or name passes in only")


def waiting_of_preset(
    preset: DeliveryPreset, read: Render, colour_pipeline: ColourPipeline
) -> Iterator[tuple[str, str]]:
    """What a preset names and a render, or its colour config, does not have: the pointer to each, and the name.

    Mattes are those of a variant, and wait for one.
    """
    config = colour_pipeline.config
    for index, file in enumerate(preset.files):
        if file.space is not None and not config.has_space(file.space):
            yield f"files/{index}/space", file.space
        display = file.display or colour_pipeline.view.display
        if file.display is not None and file.display not in config.views:
            yield f"files/{index}/display", file.display
        elif file.view is not None and file.view not in config.views[display]:
            yield f"files/{index}/view", file.view
        if file.what in ("result", "mattes"):
            continue
        try:
            known = OUTPUTS[file.what].names(read, Variant(), Time(read.first_frame, read.frame_rate))
        except BadSource:
            yield f"files/{index}/what", file.what
            continue
        for place, name in enumerate(file.only):
            if name not in known:
                yield f"files/{index}/only/{place}", name

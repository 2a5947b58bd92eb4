"""Orders of one frame, for tests."""

from pathlib import Path
from typing import Any

from escala.delivery.frame_writer import write_frame
from escala.delivery.naming import NumberedName
from escala.delivery.order import FileOrder, Order, files_of_preset
from escala.engine.evaluator import Evaluator
from escala.engine.evaluator_pool import StorePlace
from escala.engine.progress import Progress, no_progress
from escala.model.delivery_preset import FORMATS, DeliveryFile
from escala.model.variant import Variant


def write_one(
    evaluator: Evaluator,
    variant: Variant,
    path: Path,
    progress: Progress = no_progress,
    station: str = "display",
    **facts: Any,
) -> Path:
    """Write the result of an evaluator's frame to one file; `facts`: fields of the file."""
    file = DeliveryFile.model_validate({"what": "result", "format": FORMATS[path.suffix], **facts})
    one = FileOrder(file, NumberedName(path, several=False), station)
    write_frame(evaluator, _order(evaluator, variant, path.parent, (one,)), evaluator.render.first_frame, progress)
    return path


def write_files(evaluator: Evaluator, variant: Variant, folder: Path, *files: dict[str, Any]) -> tuple[Path, ...]:
    """Write files of a preset of an evaluator's frame to a folder."""
    wanted = [DeliveryFile.model_validate(facts) for facts in files]
    ordered = files_of_preset(folder, wanted, evaluator.render, "look")
    return write_frame(evaluator, _order(evaluator, variant, folder, ordered), evaluator.render.first_frame)


def _order(evaluator: Evaluator, variant: Variant, folder: Path, files: tuple[FileOrder, ...]) -> Order:
    place = StorePlace(folder / "store", 2**30)
    return Order(0, evaluator.render, variant, (evaluator.render.first_frame,), files, place)

"""Deliveries under way: orders made from what the database has, written by jobs, paused, and gone on with."""

import itertools
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING, Any

from escala.core.errors import BadSource
from escala.database.deliveries import (
    CANCELLED,
    DONE,
    FAILED,
    PAUSED,
    RUNNING,
    begin_delivery,
    end_delivery,
    end_frame,
    find_delivery,
    resume_delivery,
)
from escala.database.shots import find_variant, read_document, shot_render, variant_document
from escala.database.tables import DeliveryRow, VariantRow
from escala.delivery.checking import check_order
from escala.delivery.order import Order, files_of_preset, wanted_frames
from escala.delivery.queue import Workforce, deliver
from escala.engine.progress import Cancelled
from escala.media.atomic_write import make_folder
from escala.media.path_safety import plain_name
from escala.model.delivery_preset import DeliveryFile

from ..job_manager import Job
from ..problems import sentence_of
from .schemas import NewDelivery, WrittenFile

if TYPE_CHECKING:
    from ..app_context import AppContext

# Pages come first: workers give way to the process that serves them.
_NICENESS = 10
_MOST_FILES = 100


class RunningDeliveries:
    """The jobs of deliveries by the number of each, and those that are to be paused rather than cancelled."""

    def __init__(self) -> None:
        self._jobs: dict[int, Job] = {}
        self._pausing: set[int] = set()
        self._lock = threading.Lock()

    def job(self, delivery_id: int) -> Job | None:
        """The job that writes a delivery, if one does."""
        with self._lock:
            found = self._jobs.get(delivery_id)
        return found if found is not None and found.state == "running" else None

    def begin(self, context: "AppContext", variant_id: int, wanted: NewDelivery) -> Job:
        """Check an order, store it, and begin to write it. Raises as `check_order`, and `BadSource` for frames."""
        with context.database.reading() as session:
            row = find_variant(session, variant_id)
            known = ordered(row, wanted)
        stem = plain_name(f"{row.name}", "variant")
        folder = make_folder(context.settings.deliveries, f"{stem}-")
        try:
            order = order_of(context, variant_id, known, folder)
            check_order(context.evaluator_pool, order)
        except BaseException:
            folder.rmdir()
            raise
        with context.database.writing() as session:
            number = begin_delivery(session, variant_id, folder.name, known, len(order.frames))
        return self._start(context, number, order, folder, known["workers"])

    def resume(self, context: "AppContext", delivery_id: int) -> Job:
        """Write what is left of a delivery, by its document as ordered. Raises `BadSource` where that cannot be."""
        if self.job(delivery_id) is not None:
            raise BadSource("this delivery is being written already")
        with context.database.reading() as session:
            row = find_delivery(session, delivery_id)
            if not can_resume(row):
                raise BadSource("this delivery was begun by an earlier version and cannot be resumed: export it again")
            known, variant_id, folder = row.wanted, row.variant_id, context.settings.deliveries / row.folder
        order = order_of(context, variant_id, known, folder, keeps=True)
        check_order(context.evaluator_pool, order)
        with context.database.writing() as session:
            resume_delivery(session, delivery_id)
        return self._start(context, delivery_id, order, folder, known["workers"])

    def pause(self, delivery_id: int) -> None:
        """Stop writing after what is under way; it can be gone on with. Raises `BadSource` where nothing is written."""
        job = self.job(delivery_id)
        if job is None:
            raise BadSource("this delivery is not being written")
        with self._lock:
            self._pausing.add(delivery_id)
        job.stop.set()

    def _start(self, context: "AppContext", number: int, order: Order, folder: Path, workers: int) -> Job:
        def work(job: Job) -> dict[str, Any]:
            with self._recorded(context, number):
                failed = 0
                workforce = Workforce(workers, niceness=_NICENESS)
                reports = deliver(context.evaluator_pool, order, lambda *how: context.jobs.report(job, *how), workforce)
                for report in reports:
                    failed += report.error is not None
                    if report.number is not None:
                        with context.database.writing() as session:
                            end_frame(session, number, report.number, report.error)
                if failed:
                    raise BadSource(f"{failed} of {len(order.frames)} frames failed")
            return {"delivery": number, "folder": str(folder), "files": [f.model_dump() for f in files_in(folder)]}

        job = context.jobs.start("exporting", work)
        with self._lock:
            self._jobs = {n: known for n, known in self._jobs.items() if known.state == "running"} | {number: job}
        return job

    @contextmanager
    def _recorded(self, context: "AppContext", number: int) -> Iterator[None]:
        """Note in the database how a delivery ends, however it does."""
        state, error = DONE, None
        try:
            yield
        except Cancelled:
            with self._lock:
                state = PAUSED if number in self._pausing else CANCELLED
                self._pausing.discard(number)
            raise
        except Exception as cause:
            state, error = FAILED, sentence_of(cause)
            raise
        finally:
            with context.database.writing() as session:
                end_delivery(session, number, state, error)


def ordered(row: VariantRow, wanted: NewDelivery) -> dict[str, Any]:
    """All that an order needs, as the database keeps it. Raises `BadSource` for frames that are not there."""
    frames = wanted_frames(shot_render(row.shot), wanted.frames)
    return {
        "name": wanted.name or row.name,
        "variant": row.name,
        "revision": row.head,
        "document": variant_document(row).model_dump(mode="json", by_alias=True),
        "files": [file.model_dump(mode="json") for file in wanted.files],
        "frames": list(frames),
        "workers": wanted.workers,
    }


def order_of(context: "AppContext", variant_id: int, known: dict[str, Any], folder: Path, keeps: bool = False) -> Order:
    """The order of what the database keeps, for a folder."""
    with context.database.reading() as session:
        row = find_variant(session, variant_id)
        render, shot_id = shot_render(row.shot), row.shot_id
    variant = context.resolve_paths(read_document(known["document"], "the delivery"))
    files = [DeliveryFile.model_validate(file) for file in known["files"]]
    named = files_of_preset(folder, files, render, known["variant"], known["revision"])
    frames = tuple(number for number in known["frames"] if number in render.frames)
    place, further = context.evaluator_pool.place, context.further_of(shot_id)
    return Order(shot_id, render, variant, frames, named, place, further, keeps)


def can_resume(row: DeliveryRow) -> bool:
    """Whether what is left of a delivery can be written."""
    return "document" in row.wanted and row.state not in (RUNNING, DONE)


def files_in(folder: Path) -> list[WrittenFile]:
    """Files in a delivery's folder, a hundred at most; what is still being written has a hidden name."""
    found = (file.relative_to(folder) for file in folder.rglob("*") if file.is_file())
    whole = (file.as_posix() for file in found if not any(part.startswith(".") for part in file.parts))
    some = sorted(itertools.islice(whole, _MOST_FILES))
    return [WrittenFile(name=file, address=f"/api/deliveries/{folder.name}/{file}") for file in some]

"""Deliveries from the browser: started, listed with how they ended, their files; and what happened, page by page."""

from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from flask import Response, send_file
from flask_openapi3 import APIBlueprint
from pydantic import BaseModel

from escala.core.errors import BadSource
from escala.database.deliveries import CANCELLED, DONE, FAILED, begin_delivery, deliveries_of, end_delivery
from escala.database.shots import NotFound, find_variant, shot_render, variant_document
from escala.database.tables import DeliveryRow
from escala.delivery.deliver import Delivery
from escala.delivery.frames import Order, deliver_frames, wanted_frames
from escala.engine.progress import Cancelled
from escala.media.atomic_write import make_folder
from escala.media.path_safety import Roots, is_file, place_in, plain_name

from ..app_context import AppContext, app_context
from ..job_manager import Job
from ..problems import sentence_of
from ..schemas import JobOut, VariantPath
from .schemas import DeliveryFile, DeliveryList, DeliveryOut, NewDelivery


class FilePath(BaseModel):
    """A delivered file in an address."""

    folder: str
    name: str


routes = APIBlueprint("deliveries", __name__, url_prefix="/api")


@routes.post("/variants/<int:variant_id>/deliveries", responses={202: JobOut})
def deliver(path: VariantPath, body: NewDelivery) -> tuple[dict[str, Any], int]:
    """Begin to write frames of a variant."""
    context = app_context()
    noted = _noted_order(context, path.variant_id, body)
    return context.jobs.start("exporting", lambda job: _deliver(context, job, noted)).facts(), 202


@routes.get("/variants/<int:variant_id>/deliveries", responses={200: DeliveryList})
def list_deliveries(path: VariantPath) -> dict[str, Any]:
    """The newest deliveries of a variant."""
    context = app_context()
    with context.database.reading() as session:
        find_variant(session, path.variant_id)
        rows = deliveries_of(session, path.variant_id)
    return DeliveryList(deliveries=[_delivery_out(context, row) for row in rows]).model_dump()


@routes.get("/deliveries/<string:folder>/<string:name>")
def get_file(path: FilePath) -> Response:
    """A delivered file."""
    context = app_context()
    try:
        written = Roots((context.settings.deliveries,))
        file = written.readable(place_in(context.settings.deliveries, f"{path.folder}/{path.name}"))
    except BadSource as error:
        raise NotFound("there is no such file") from error
    if not is_file(file):
        raise NotFound("there is no such file")
    return send_file(file, as_attachment=True)


@dataclass(frozen=True)
class _Noted:
    """An order, its folder, and the number under which the database has it."""

    number: int
    folder: Path
    order: Order


def _noted_order(context: AppContext, variant_id: int, wanted: NewDelivery) -> _Noted:
    """Check an order and store its delivery as running. Raises `BadSource` for missing frames."""
    with context.database.reading() as session:
        row = find_variant(session, variant_id)
        document, render, name, shot_id = variant_document(row), shot_render(row.shot), row.name, row.shot_id
    variant = context.resolve_paths(document)
    numbers = wanted_frames(render, wanted.frames)
    stem = plain_name(f"{render.name}_{name}".lower(), "picture")
    folder = make_folder(context.settings.deliveries, f"{stem}-")
    with context.database.writing() as session:
        number = begin_delivery(session, variant_id, folder.name, wanted.model_dump(mode="json"), len(numbers))
    linear = wanted.format == "exr"
    space = (wanted.space or None) if linear else None
    file = Delivery(place_in(folder, f"{stem}.{wanted.format}"), space, not linear, wanted.pixel_type, wanted.bits)
    place, further = context.evaluator_pool.place, context.further_of(shot_id)
    return _Noted(number, folder, Order(shot_id, render, variant, numbers, file, place, further))


def _deliver(context: AppContext, job: Job, noted: _Noted) -> dict[str, Any]:
    """Write the frames into the delivery's folder; the job's result names the files."""
    with _record_end(context, noted.number):
        for _ in deliver_frames(context.evaluator_pool, noted.order, lambda *how: context.jobs.report(job, *how)):
            pass
    return {"folder": str(noted.folder), "files": [file.model_dump() for file in _files(noted.folder)]}


@contextmanager
def _record_end(context: AppContext, number: int) -> Iterator[None]:
    """Note in the database how a delivery ends, however it does."""
    state, error = DONE, None
    try:
        yield
    except Cancelled:
        state = CANCELLED
        raise
    except Exception as cause:
        state, error = FAILED, sentence_of(cause)
        raise
    finally:
        with context.database.writing() as session:
            end_delivery(session, number, state, error)


def _delivery_out(context: AppContext, row: DeliveryRow) -> DeliveryOut:
    folder = context.settings.deliveries / row.folder
    return DeliveryOut(
        id=row.id,
        state=row.state,  # type: ignore[arg-type]
        error=row.error,
        created=row.created.isoformat(),
        frames=row.frames,
        folder=str(folder),
        files=_files(folder),
    )


def _files(folder: Path) -> list[DeliveryFile]:
    """What is in a delivery's folder; what is still being written has a hidden name."""
    found = sorted(f.name for f in folder.iterdir() if not f.name.startswith(".")) if folder.is_dir() else []
    return [DeliveryFile(name=name, address=f"/api/deliveries/{folder.name}/{name}") for name in found]

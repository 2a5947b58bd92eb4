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
from escala.delivery.deliver import Delivery, deliver_frame
from escala.engine.worker import LONG
from escala.media.places import Roots, is_file, place_in, plain_name
from escala.media.whole import make_folder
from escala.model.render import Render
from escala.model.variant import Variant
from escala.record.deliveries import CANCELLED, DONE, FAILED, begin_delivery, deliveries_of, end_delivery
from escala.record.shots import NotFound, find_variant, shot_render, variant_document
from escala.record.tables import DeliveryRow

from ..jobs import Cancelled, Job
from ..problems import sentence_of
from ..schemas import JobOut, VariantPath
from ..studio import Studio, the_studio
from .schemas import DeliveryFile, DeliveryList, DeliveryOut, EventQuery, EventsOut, NewDelivery


class FilePath(BaseModel):
    """A delivered file in an address."""

    folder: str
    name: str


routes = APIBlueprint("deliveries", __name__, url_prefix="/api")


@routes.post("/variants/<int:variant_id>/deliveries", responses={202: JobOut})
def deliver(path: VariantPath, body: NewDelivery) -> tuple[dict[str, Any], int]:
    """Begin to write frames of a variant."""
    studio = the_studio()
    order = _order(studio, path.variant_id, body)
    return studio.jobs.start("delivering", lambda job: _deliver(studio, job, order)).facts(), 202


@routes.get("/variants/<int:variant_id>/deliveries", responses={200: DeliveryList})
def list_deliveries(path: VariantPath) -> dict[str, Any]:
    """The newest deliveries of a variant."""
    studio = the_studio()
    with studio.record.reading() as session:
        find_variant(session, path.variant_id)
        rows = deliveries_of(session, path.variant_id)
    return DeliveryList(deliveries=[_told(studio, row) for row in rows]).model_dump()


@routes.get("/deliveries/<string:folder>/<string:name>")
def get_file(path: FilePath) -> Response:
    """A delivered file."""
    studio = the_studio()
    try:
        written = Roots((studio.settings.deliveries,))
        file = written.readable(place_in(studio.settings.deliveries, f"{path.folder}/{path.name}"))
    except BadSource as error:
        raise NotFound("there is no such file") from error
    if not is_file(file):
        raise NotFound("there is no such file")
    return send_file(file, as_attachment=True)


@routes.get("/events", responses={200: EventsOut})
def get_events(query: EventQuery) -> dict[str, Any]:
    """What happened after a mark; the shot that is shown is watched meanwhile."""
    studio = the_studio()
    if query.shot is not None:
        studio.look_at(query.shot)
    mark, events, missed = studio.hub.since(query.after)
    return {"mark": mark, "events": events, "missed": missed}


@dataclass(frozen=True)
class _Order:
    """What is to be delivered, as it was when it was asked for, and where to."""

    number: int
    shot_id: int
    variant: Variant
    render: Render
    frames: tuple[int, ...]
    stem: str
    folder: Path
    wanted: NewDelivery


def _order(studio: Studio, variant_id: int, wanted: NewDelivery) -> _Order:
    """Check what is wanted, and note in the record that it begins. Raises `BadSource` for frames that are not there."""
    with studio.record.reading() as session:
        row = find_variant(session, variant_id)
        document, render, name, shot_id = variant_document(row), shot_render(row.shot), row.name, row.shot_id
    variant = studio.admitted(document)
    numbers = tuple(dict.fromkeys(wanted.frames)) or tuple(sorted(render.frames))
    absent = next((number for number in numbers if number not in render.frames), None)
    if absent is not None:
        raise BadSource(f"{render.name} has no frame {absent}")
    stem = plain_name(f"{render.name}_{name}".lower(), "picture")
    folder = make_folder(studio.settings.deliveries, f"{stem}-")
    with studio.record.writing() as session:
        number = begin_delivery(session, variant_id, folder.name, wanted.model_dump(mode="json"), len(numbers))
    return _Order(number, shot_id, variant, render, numbers, stem, folder, wanted)


def _deliver(studio: Studio, job: Job, order: _Order) -> dict[str, Any]:
    """Write the frames one by one into the delivery's folder; the job's result names the files."""
    wanted, linear = order.wanted, order.wanted.format == "exr"
    with _noted(studio, order.number):
        for done, number in enumerate(order.frames):
            studio.jobs.report(job, done / len(order.frames), f"frame {number}")
            engine = studio.engine_of_variant(order.shot_id, order.variant, number)
            ending = f".{number:04d}" if len(order.render.frames) > 1 else ""
            target = place_in(order.folder, f"{order.stem}{ending}.{wanted.format}")
            space = (wanted.space or None) if linear else None
            delivery = Delivery(target, space, not linear, wanted.pixel_type, wanted.bits)
            studio.workshop.evaluate(lambda e=engine, d=delivery: deliver_frame(e, order.variant, d), LONG)  # type: ignore[misc]
    return {"folder": str(order.folder), "files": [file.model_dump() for file in _files(order.folder)]}


@contextmanager
def _noted(studio: Studio, number: int) -> Iterator[None]:
    """Note in the record how a delivery ends, however it does."""
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
        with studio.record.writing() as session:
            end_delivery(session, number, state, error)


def _told(studio: Studio, row: DeliveryRow) -> DeliveryOut:
    folder = studio.settings.deliveries / row.folder
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

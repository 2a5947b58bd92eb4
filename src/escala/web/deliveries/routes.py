"""Deliveries from the browser: checked, started, paused, resumed, listed with how they stand, and their files."""

from typing import Any

from flask import Response, send_file

from escala.core.errors import BadSource
from escala.database.deliveries import deliveries_of, frames_of_delivery
from escala.database.shots import NotFound, find_variant
from escala.database.tables import DeliveryRow
from escala.delivery.forecast import file_count, forecast
from escala.media.path_safety import Roots, is_file, place_in
from escala.model.delivery_preset import VIDEOS

from ..app_context import AppContext, app_context
from ..routing import Routes
from ..schemas import JobOut, VariantPath
from .running import can_resume, files_in, order_of, ordered
from .schemas import (
    DeliveryCheck,
    DeliveryFinding,
    DeliveryList,
    DeliveryOut,
    DeliveryPath,
    FilePath,
    FrameFault,
    NewDelivery,
)

routes = Routes("deliveries", __name__, url_prefix="/api")


@routes.post("/variants/<int:variant_id>/deliveries", responses={202: JobOut})
def begin(path: VariantPath, body: NewDelivery) -> tuple[dict[str, Any], int]:
    """Begin to write frames of a variant."""
    context = app_context()
    return context.deliveries.begin(context, path.variant_id, body).facts(), 202


@routes.post("/variants/<int:variant_id>/deliveries/check", responses={200: DeliveryCheck})
def check(path: VariantPath, body: NewDelivery) -> dict[str, Any]:
    """What would be written, and what is to be looked at before; nothing is written."""
    context = app_context()
    with context.database.reading() as session:
        known = ordered(find_variant(session, path.variant_id), body)
    order = order_of(context, path.variant_id, known, context.settings.deliveries)
    found = forecast(context.evaluator_pool, order, context.settings.deliveries)
    is_refused = any(one.level == "error" for one in found)
    read = context.evaluator_pool.interpretation_of(order.shot, order.render, order.variant)
    count = 0 if is_refused else file_count(order, read)
    findings = [DeliveryFinding(level=one.level, text=one.text, clips=one.clips) for one in found]
    return DeliveryCheck(findings=findings, files=count).model_dump()


@routes.get("/variants/<int:variant_id>/deliveries", responses={200: DeliveryList})
def list_deliveries(path: VariantPath) -> dict[str, Any]:
    """The newest deliveries of a variant."""
    context = app_context()
    with context.database.reading() as session:
        find_variant(session, path.variant_id)
        found = [(row, frames_of_delivery(session, row.id)) for row in deliveries_of(session, path.variant_id)]
        deliveries = [_delivery_out(context, row, frames) for row, frames in found]
    return DeliveryList(deliveries=deliveries).model_dump()


@routes.post("/deliveries/<int:delivery_id>/pause")
def pause(path: DeliveryPath) -> tuple[str, int]:
    """Stop after what is under way; it can be resumed."""
    app_context().deliveries.pause(path.delivery_id)
    return "", 204


@routes.post("/deliveries/<int:delivery_id>/resume", responses={202: JobOut})
def resume(path: DeliveryPath) -> tuple[dict[str, Any], int]:
    """Write what is left, frames that failed too, of the variant as it was ordered."""
    context = app_context()
    return context.deliveries.resume(context, path.delivery_id).facts(), 202


@routes.get("/deliveries/<string:folder>/<path:name>")
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


def _delivery_out(context: AppContext, row: DeliveryRow, ended: dict[int, str | None]) -> DeliveryOut:
    folder, wanted = context.settings.deliveries / row.folder, row.wanted
    job = context.deliveries.job(row.id)
    return DeliveryOut(
        id=row.id,
        name=str(wanted.get("name", "")),
        state=row.state,  # type: ignore[arg-type]
        error=row.error,
        created=row.created.isoformat(),
        frames=wanted.get("frames") or [],
        done=[number for number, error in ended.items() if error is None],
        failed=[FrameFault(number=number, error=error) for number, error in ended.items() if error is not None],
        stills=any(file.get("format") not in VIDEOS for file in wanted.get("files", ())),
        workers=int(wanted.get("workers", 1)),
        revision=int(wanted.get("revision", 0)),
        can_resume=can_resume(row) and job is None,
        job=None if job is None else job.id,
        folder=str(folder),
        files=files_in(folder),
    )

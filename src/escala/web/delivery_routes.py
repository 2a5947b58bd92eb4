"""Deliveries from the browser, and the stream of events."""

import re
import tempfile
from pathlib import Path
from typing import Any

from flask import Response, send_from_directory
from flask_openapi3 import APIBlueprint
from pydantic import BaseModel

from escala.delivery.deliver import Delivery, deliver_frame
from escala.engine.worker import LONG
from escala.record.shots import find_variant, shot_render, variant_document

from .jobs import Job
from .schemas import JobOut, NewDelivery, VariantPath
from .studio import Studio


class FilePath(BaseModel):
    """A delivered file in an address."""

    folder: str
    name: str


def delivery_routes(studio: Studio) -> APIBlueprint:
    """The blueprint."""
    routes = APIBlueprint("deliveries", __name__, url_prefix="/api")

    @routes.post("/variants/<int:variant_id>/deliveries", responses={202: JobOut})
    def deliver(path: VariantPath, body: NewDelivery) -> tuple[dict[str, Any], int]:
        return studio.jobs.start("delivering", lambda job: _deliver(studio, job, path.variant_id, body)).facts(), 202

    @routes.get("/deliveries/<string:folder>/<string:name>")
    def get_file(path: FilePath) -> Response:
        return send_from_directory(studio.settings.deliveries / Path(path.folder).name, path.name, as_attachment=True)

    @routes.get("/events")
    def stream_events() -> Response:
        return Response(studio.hub.listen(), mimetype="text/event-stream", headers={"Cache-Control": "no-cache"})

    return routes


def _deliver(studio: Studio, job: Job, variant_id: int, wanted: NewDelivery) -> dict[str, Any]:
    """Write the frames one by one into a folder of the delivery; the job's result names the files."""
    with studio.session() as session:
        row = find_variant(session, variant_id)
        variant, render, name, shot_id = variant_document(row), shot_render(row.shot), row.name, row.shot_id
    numbers = wanted.frames or sorted(render.frames)
    stem = re.sub(r"[^A-Za-z0-9]+", "_", f"{render.name}_{name}").strip("_").lower() or "picture"
    folder = Path(tempfile.mkdtemp(prefix=f"{stem}-", dir=studio.settings.deliveries))
    files = []
    for done, number in enumerate(numbers):
        studio.jobs.report(job, done / len(numbers), f"frame {number}")
        engine = studio.engine_of_variant(shot_id, variant, number)
        ending = f".{number:04d}" if len(render.frames) > 1 else ""
        target = folder / f"{stem}{ending}.{wanted.format}"
        linear = wanted.format == "exr"
        space = (wanted.space or None) if linear else None
        delivery = Delivery(target, space, not linear, wanted.pixel_type, wanted.bits)
        studio.thread.run(lambda e=engine, d=delivery: deliver_frame(e, variant, d), LONG)  # type: ignore[misc]
        files.append({"name": target.name, "address": f"/api/deliveries/{folder.name}/{target.name}"})
    return {"folder": str(folder), "files": files}

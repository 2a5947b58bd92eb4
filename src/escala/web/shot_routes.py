"""Shots: listed, opened from media or uploads, deleted; their passes as pictures."""

import hashlib
from dataclasses import asdict
from pathlib import Path
from typing import Any

from flask import Response, request
from flask_openapi3 import APIBlueprint

from escala.core.errors import BadSource
from escala.engine.look import fit_look
from escala.engine.picture import FrameEngine
from escala.engine.screen import pass_histogram, pass_picture
from escala.engine.worker import SMALL
from escala.media.sources import SUFFIXES
from escala.model.variant import Variant
from escala.record.shots import all_shots, find_shot, find_variant, variant_document

from .repacking import write_files
from .schemas import (
    HistogramOut,
    JobOut,
    JobPath,
    MediaOut,
    MediaQuery,
    NewFiles,
    NewRender,
    NewShot,
    PassQuery,
    PictureMade,
    ShotList,
    ShotOut,
    ShotPath,
    shot_name,
    shot_out,
)
from .studio import Studio, keep_body


def shot_routes(studio: Studio) -> APIBlueprint:
    """The blueprint."""
    routes = APIBlueprint("shots", __name__, url_prefix="/api")

    @routes.get("/shots", responses={200: ShotList})
    def list_shots() -> dict[str, Any]:
        with studio.session() as session:
            rows = [(row.id, row.name) for row in all_shots(session)]
        rows = [(shot_id, name, studio.render_of(shot_id)) for shot_id, name in rows]
        return ShotList(shots=[shot_name(*row) for row in rows]).model_dump()

    @routes.post("/shots", responses={202: JobOut})
    def open_shot(body: NewShot) -> tuple[dict[str, Any], int]:
        return studio.take_in(body.sources, body.name, body.fit).facts(), 202

    @routes.get("/shots/<int:shot_id>", responses={200: ShotOut})
    def get_shot(path: ShotPath) -> dict[str, Any]:
        with studio.session() as session:
            return shot_out(find_shot(session, path.shot_id)).model_dump(mode="json")

    @routes.put("/shots/<int:shot_id>/render", responses={202: JobOut})
    def take_over_render(path: ShotPath, body: NewRender) -> tuple[dict[str, Any], int]:
        return studio.take_over(path.shot_id, body.sources).facts(), 202

    @routes.post("/shots/<int:shot_id>/files", responses={202: JobOut})
    def write_passes(path: ShotPath, body: NewFiles) -> tuple[dict[str, Any], int]:
        render = studio.render_of(path.shot_id)
        return studio.jobs.start("writing files", lambda job: write_files(studio, job, render, body)).facts(), 202

    @routes.delete("/shots/<int:shot_id>")
    def delete_shot(path: ShotPath) -> tuple[str, int]:
        with studio.session() as session:
            session.delete(find_shot(session, path.shot_id))
        studio.forget(path.shot_id)
        studio.hub.tell("shots")
        return "", 204

    def pass_engine(path: ShotPath, query: PassQuery) -> FrameEngine:
        """The evaluator of the frame that holds a pass, as the variant reads it."""
        variant = Variant()
        if query.variant is not None:
            with studio.session() as session:
                variant = variant_document(find_variant(session, query.variant))
        engine = studio.engine_of_variant(path.shot_id, variant, query.frame)
        if query.name not in engine.frame.passes:
            raise BadSource(f"{engine.render.name} has no pass {query.name}")
        return engine

    @routes.get("/shots/<int:shot_id>/pass/histogram", responses={200: HistogramOut})
    def get_pass_histogram(path: ShotPath, query: PassQuery) -> dict[str, Any]:
        engine = pass_engine(path, query)
        return asdict(studio.thread.run(lambda: pass_histogram(engine, query.name), SMALL))

    @routes.get("/shots/<int:shot_id>/pass")
    def get_pass_picture(path: ShotPath, query: PassQuery) -> Response:
        engine = pass_engine(path, query)
        read_as = engine.render.find_pass(query.name)
        display, raster = engine.render.display, engine.render.raster
        box = (display.x - raster.x, display.y - raster.y, display.width, display.height)
        look = fit_look(*box, query.width, query.width)
        tag = hashlib.sha256(f"{engine.frame.folder.name} {read_as} {query.width}".encode()).hexdigest()[:24]
        if request.if_none_match.contains(tag):
            return Response(status=304)
        picture = studio.thread.run(lambda: pass_picture(engine, Variant(), query.name, look), SMALL)
        response = Response(picture, mimetype="image/jpeg")
        response.set_etag(tag)
        response.headers["Cache-Control"] = "no-cache"
        return response

    @routes.get("/jobs/<int:job_id>", responses={200: JobOut})
    def get_job(path: JobPath) -> dict[str, Any]:
        return studio.jobs.find(path.job_id).facts()

    @routes.post("/jobs/<int:job_id>/cancel", responses={200: JobOut})
    def cancel_job(path: JobPath) -> dict[str, Any]:
        job = studio.jobs.find(path.job_id)
        job.stop.set()
        return job.facts()

    @routes.get("/media", responses={200: MediaOut})
    def list_media(query: MediaQuery) -> dict[str, Any]:
        return {"folder": query.folder, "entries": _entries(studio, query.folder)}

    @routes.put("/uploads/<string:name>")
    def upload() -> dict[str, str]:
        name = str((request.view_args or {})["name"])
        return {"path": str(_keep_upload(studio, name))}

    @routes.put("/pictures/<string:name>", responses={201: PictureMade})
    def bring_picture() -> tuple[dict[str, str], int]:
        name = str((request.view_args or {})["name"])
        return {"picture": studio.bring_picture(name, request.stream), "title": Path(name).stem}, 201

    return routes


def _entries(studio: Studio, folder: str) -> list[dict[str, Any]]:
    """Folders and pictures in a folder; the roots themselves for an empty name."""
    if not folder:
        return [{"name": root.name, "path": str(root), "folder": True} for root in studio.settings.media_roots]
    place = studio.allowed_path(folder)
    if not place.is_dir():
        raise BadSource(f"{folder} is not a folder")
    shown = [e for e in sorted(place.iterdir()) if not e.name.startswith(".")]
    kept = [e for e in shown if e.is_dir() or e.suffix.lower() in SUFFIXES]
    return [{"name": e.name, "path": str(e), "folder": e.is_dir()} for e in kept]


def _keep_upload(studio: Studio, name: str) -> Path:
    """Stream the body of the request into a folder of its own under the uploads."""
    safe = Path(name).name
    if safe != name or Path(safe).suffix.lower() not in SUFFIXES:
        raise BadSource(f"{name}: only EXR, TIFF and PNG files can be brought in")
    batch = hashlib.sha256(request.headers.get("X-Batch", safe).encode()).hexdigest()[:16]
    folder = studio.settings.uploads / batch
    folder.mkdir(parents=True, exist_ok=True)
    return keep_body(request.stream, folder / safe, studio.settings.upload_limit)

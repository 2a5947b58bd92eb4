"""Shots: listed, opened from media or uploads, deleted; their passes as pictures."""

import hashlib
from contextlib import suppress
from dataclasses import asdict
from pathlib import Path
from typing import Any

from flask import Response, request
from flask_openapi3 import APIBlueprint

from escala.core.errors import BadSource, TooLarge
from escala.database.shots import (
    DELETED,
    BrokenDocument,
    all_shots,
    find_shot,
    find_variant,
    last_changes,
    variant_document,
)
from escala.delivery.passes import choice_of_passes, gather_frames, gathered_file, split_frames
from escala.engine.evaluator import Evaluator
from escala.engine.source.intake import frame_files
from escala.engine.viewer.screen import pass_histogram, pass_picture
from escala.engine.viewer.viewport import whole_viewport
from escala.engine.worker import SMALL
from escala.media.atomic_write import make_folder
from escala.media.limits import check_disk
from escala.media.path_safety import place_in, plain_name, printable
from escala.media.sources import SUFFIXES
from escala.media.stills import READABLE
from escala.model.render import Render
from escala.model.variant import Variant

from ..app_context import AppContext, app_context, keep_body
from ..clients import client_name
from ..jobs import Job
from ..schemas import JobOut, JobPath, ShotPath
from .schemas import (
    HistogramOut,
    MediaOut,
    MediaQuery,
    NewFiles,
    NewRender,
    NewShot,
    PassQuery,
    PictureMade,
    RoomQuery,
    ShotChange,
    ShotFacts,
    ShotList,
    ShotOut,
    shot_name,
    shot_out,
)

routes = APIBlueprint("shots", __name__, url_prefix="/api")


@routes.get("/shots", responses={200: ShotList})
def list_shots() -> dict[str, Any]:
    """All shots."""
    context = app_context()
    with context.database.reading() as session:
        found = [ShotFacts(row.id, row.name, row.status, row.created) for row in all_shots(session)]
        changes = last_changes(session)
    shots, problems = [], context.database.set_aside()
    for facts in found:
        try:
            shots.append(shot_name(facts, context.render_of(facts.id), changes.get(facts.id)))
        except BrokenDocument as error:
            problems.append(str(error))
    return ShotList(shots=shots, problems=problems).model_dump()


@routes.post("/shots", responses={202: JobOut})
def open_shot(body: NewShot) -> tuple[dict[str, Any], int]:
    """Begin to read a render into a new shot."""
    context = app_context()
    return context.take_in(body.sources, body.name, body.fit).facts(), 202


@routes.get("/shots/<int:shot_id>", responses={200: ShotOut})
def get_shot(path: ShotPath) -> dict[str, Any]:
    """A shot with its render and variants."""
    context = app_context()
    with context.database.reading() as session:
        return shot_out(find_shot(session, path.shot_id)).model_dump(mode="json")


@routes.put("/shots/<int:shot_id>/render", responses={202: JobOut})
def take_over_render(path: ShotPath, body: NewRender) -> tuple[dict[str, Any], int]:
    """Begin to read a newer render in place of a shot's."""
    context = app_context()
    return context.take_over(path.shot_id, body.sources).facts(), 202


@routes.post("/shots/<int:shot_id>/files", responses={202: JobOut})
def write_passes(path: ShotPath, body: NewFiles) -> tuple[dict[str, Any], int]:
    """Begin to write passes as files."""
    context = app_context()
    render = context.render_of(path.shot_id)
    return context.jobs.start("exporting passes", lambda job: _written(context, job, render, body)).facts(), 202


@routes.delete("/shots/<int:shot_id>")
def delete_shot(path: ShotPath) -> tuple[str, int]:
    """Delete a shot with all that was made on it; its files stay. Until the next start it can be restored."""
    _change_shot(path.shot_id, ShotChange(status="deleted"))
    return "", 204


@routes.put("/shots/<int:shot_id>")
def change_shot(path: ShotPath, body: ShotChange) -> tuple[str, int]:
    """Rename, archive, unarchive, delete or restore a shot."""
    _change_shot(path.shot_id, body)
    return "", 204


def _change_shot(shot_id: int, change: ShotChange) -> None:
    context = app_context()
    with context.database.writing() as session:
        shot = find_shot(session, shot_id)
        shot.name = change.name or shot.name
        shot.status = change.status or shot.status
    if change.status == DELETED:
        context.forget(shot_id)
    context.events.tell("shots")


def _pass_engine(path: ShotPath, query: PassQuery) -> tuple[Evaluator, Variant]:
    """The evaluator of the frame that holds a pass, as the variant reads it, and the variant."""
    context = app_context()
    variant = Variant()
    if query.variant is not None:
        with context.database.reading() as session:
            variant = context.resolve_paths(variant_document(find_variant(session, query.variant)))
    evaluator = context.evaluator_pool.engine_of_variant(
        path.shot_id, context.render_of(path.shot_id), variant, query.frame, client_name()
    )
    if query.name not in evaluator.frame.passes:
        raise BadSource(f"{evaluator.render.name} has no pass {query.name}")
    return evaluator, variant


@routes.get("/shots/<int:shot_id>/pass/histogram", responses={200: HistogramOut})
def get_pass_histogram(path: ShotPath, query: PassQuery) -> dict[str, Any]:
    """How often each brightness occurs in a pass."""
    context = app_context()
    evaluator, _ = _pass_engine(path, query)
    return asdict(
        context.evaluator_pool.evaluate(lambda: pass_histogram(evaluator, query.name), SMALL, client=client_name())
    )


@routes.get("/shots/<int:shot_id>/pass")
def get_pass_picture(path: ShotPath, query: PassQuery) -> Response:
    """A pass as its role wants to be seen."""
    context = app_context()
    evaluator, variant = _pass_engine(path, query)
    viewport, colour_pipeline = whole_viewport(evaluator.render, query.width), evaluator.colour_pipeline(variant)
    key = evaluator.keys.for_interpretation(
        "pass picture", query.name, viewport, query.lift, colour_pipeline=colour_pipeline
    )
    tag = hashlib.sha256(repr(key).encode()).hexdigest()[:24]
    if request.if_none_match.contains(tag):
        return Response(status=304)
    picture = context.evaluator_pool.evaluate(
        lambda: pass_picture(evaluator, variant, query.name, viewport, query.lift), SMALL, client=client_name()
    )
    response = Response(picture, mimetype="image/jpeg")
    response.set_etag(tag)
    response.headers["Cache-Control"] = "no-cache"
    return response


@routes.get("/jobs/<int:job_id>", responses={200: JobOut})
def get_job(path: JobPath) -> dict[str, Any]:
    """How long work stands."""
    context = app_context()
    return context.jobs.find(path.job_id).facts()


@routes.post("/jobs/<int:job_id>/cancel", responses={200: JobOut})
def cancel_job(path: JobPath) -> dict[str, Any]:
    """Stop long work at its next step."""
    context = app_context()
    job = context.jobs.find(path.job_id)
    job.stop.set()
    return job.facts()


@routes.get("/media", responses={200: MediaOut})
def list_media(query: MediaQuery) -> dict[str, Any]:
    """Folders and pictures below the media roots."""
    context = app_context()
    return {"folder": query.folder, "entries": _entries(context, query.folder)}


@routes.get("/shots/<int:shot_id>/pictures", responses={200: MediaOut})
def list_pictures(path: ShotPath) -> dict[str, Any]:
    """Pictures beside a shot's files and in the folders there, which labels can show."""
    context = app_context()
    render = context.render_of(path.shot_id)
    own = {Path(entry.path) for entries in render.frames.values() for entry in entries}
    folder = next(iter(own)).parent
    folders = [folder, *(e for e in _readable_in(context, folder) if e.is_dir())]
    found = [e for place in folders for e in _readable_in(context, place) if e.suffix.lower() in READABLE]
    shown = [e for e in found if e not in own][:_MOST_PICTURES]
    return {"folder": str(folder), "entries": [{"name": e.name, "path": str(e), "folder": False} for e in shown]}


def _readable_in(context: AppContext, folder: Path) -> list[Path]:
    """What a folder holds that may be read: no link that leads out of the roots, and no hidden file."""
    with suppress(BadSource, OSError):  # it is gone, or lies where nothing may be read: there is nothing to offer
        context.roots.readable(folder)
        return [entry for entry in sorted(folder.iterdir()) if entry.name[0] != "." and _may_be_read(context, entry)]
    return []


def _may_be_read(context: AppContext, entry: Path) -> bool:
    try:
        context.roots.readable(entry)
    except (BadSource, OSError):
        return False
    return True


_MOST_PICTURES = 200


@routes.get("/uploads/capacity")
def room_for_upload(query: RoomQuery) -> tuple[str, int]:
    """Whether so many bytes can be brought in: asked before they are sent."""
    context = app_context()
    if query.bytes > context.settings.upload_limit:
        raise TooLarge("the files", f"larger than the limit of {context.settings.upload_limit >> 20} MiB")
    check_disk(context.settings.uploads, 2 * query.bytes, "the files")
    return "", 204


@routes.put("/uploads/<string:name>")
def upload() -> dict[str, str]:
    """Bring in one file of a render."""
    context = app_context()
    name = str((request.view_args or {})["name"])
    return {"path": str(_keep_upload(context, name))}


@routes.put("/pictures/<string:name>", responses={201: PictureMade})
def upload_image() -> tuple[dict[str, str], int]:
    """Bring in a picture to compare with."""
    context = app_context()
    name = str((request.view_args or {})["name"])
    return {"picture": context.upload_image(name, request.stream), "title": Path(name).stem}, 201


def _entries(context: AppContext, folder: str) -> list[dict[str, Any]]:
    """Folders and pictures in a folder; the roots themselves for an empty name."""
    if not folder:
        return [{"name": root.name, "path": str(root), "folder": True} for root in context.settings.media_roots]
    place = context.roots.readable(folder)
    if not place.is_dir():
        raise BadSource(f"{printable(folder)} is not a folder")
    kept = [e for e in _readable_in(context, place) if e.is_dir() or e.suffix.lower() in SUFFIXES]
    return [{"name": e.name, "path": str(e), "folder": e.is_dir()} for e in kept]


def _keep_upload(context: AppContext, name: str) -> Path:
    """Stream the body of the request into a folder of its own under the uploads."""
    if Path(name).suffix.lower() not in SUFFIXES:
        raise BadSource(f"{printable(name)}: only EXR, TIFF and PNG files can be imported")
    batch = hashlib.sha256(request.headers.get("X-Batch", name).encode()).hexdigest()[:16]
    return keep_body(request.stream, place_in(context.settings.uploads / batch, name), context.settings.upload_limit)


def _written(context: AppContext, job: Job, render: Render, wanted: NewFiles) -> dict[str, Any]:
    """Write passes of every frame into a folder of its own; the job's result names the files."""
    name = plain_name(render.name.lower(), "passes")
    folder = make_folder(context.settings.deliveries, f"{name}-")
    frames = {number: frame_files(render, number) for number in sorted(render.frames)}
    choice = choice_of_passes(wanted.passes, wanted.rename, frames[render.first_frame])
    how = (lambda share, doing: context.jobs.report(job, share, doing)), context.roots
    if wanted.gathered:
        written = gather_frames(frames, gathered_file(folder, name), choice, *how)
    else:
        written = split_frames(frames, folder, name, choice, *how)
    files = [
        {"name": file.path.name, "address": f"/api/deliveries/{folder.name}/{file.path.name}", "passes": file.passes}
        for file in written
    ]
    return {"folder": str(folder), "files": files}

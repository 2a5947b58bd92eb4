"""Shots: listed, opened from media or uploads, deleted; their passes as pictures."""

import hashlib
from dataclasses import asdict
from typing import Any

from flask import Response, request

from escala.core.errors import BadSource
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
from escala.media.path_safety import plain_name
from escala.model.render import Render
from escala.model.variant import Variant

from ..app_context import AppContext, app_context
from ..clients import client_name
from ..job_manager import Job
from ..routing import Routes
from ..schemas import JobOut, ShotPath
from .schemas import (
    FurtherRender,
    HistogramOut,
    NewFiles,
    NewRender,
    NewShot,
    PassQuery,
    RenderPath,
    ShotChange,
    ShotFacts,
    ShotList,
    ShotOut,
    shot_name,
    shot_out,
)

routes = Routes("shots", __name__, url_prefix="/api")


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
        answer = shot_out(find_shot(session, path.shot_id)).model_dump(mode="json")
    context.ahead.read(context.render_of(path.shot_id))
    return answer


@routes.put("/shots/<int:shot_id>/render", responses={202: JobOut})
def take_over_render(path: ShotPath, body: NewRender) -> tuple[dict[str, Any], int]:
    """Begin to read a newer render in place of a shot's."""
    context = app_context()
    return context.take_over(path.shot_id, body.sources).facts(), 202


@routes.post("/shots/<int:shot_id>/renders", responses={202: JobOut})
def add_render(path: ShotPath, body: FurtherRender) -> tuple[dict[str, Any], int]:
    """Begin to read a further render of a shot, for layers of its plates."""
    context = app_context()
    return context.add_further(path.shot_id, body.sources, body.name).facts(), 202


@routes.put("/shots/<int:shot_id>/renders/<string:name>", responses={202: JobOut})
def take_over_further_render(path: RenderPath, body: NewRender) -> tuple[dict[str, Any], int]:
    """Begin to read a newer render in place of a further one of a shot."""
    context = app_context()
    return context.take_over(path.shot_id, body.sources, path.name).facts(), 202


@routes.delete("/shots/<int:shot_id>/renders/<string:name>")
def remove_render(path: RenderPath) -> tuple[str, int]:
    """Remove a further render of a shot; its files stay, and layers that show it are unresolved."""
    app_context().remove_further(path.shot_id, path.name)
    return "", 204


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
    """Rename, archive, unarchive, delete or restore a shot; name its lights for people."""
    _change_shot(path.shot_id, body)
    return "", 204


def _change_shot(shot_id: int, change: ShotChange) -> None:
    context = app_context()
    with context.database.writing() as session:
        shot = find_shot(session, shot_id)
        shot.name = change.name or shot.name
        shot.status = change.status or shot.status
        if change.light_names is not None:
            named = {**shot.light_names, **change.light_names}
            shot.light_names = {light: name.strip() for light, name in named.items() if name.strip()}
    if change.status == DELETED:
        context.forget(shot_id)
    context.events.publish("shots")
    if change.light_names is not None:
        context.events.publish("variants", shot_id=shot_id)


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

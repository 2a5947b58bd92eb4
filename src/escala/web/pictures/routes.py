"""Pictures and measurements of a variant: viewer, board, tally, difference, probe."""

import time
from collections.abc import Callable
from dataclasses import asdict, replace
from typing import Any, TypeVar

import numpy as np
from flask import Response

from escala.core.errors import BadSource
from escala.core.planes import Planes
from escala.database.shots import find_variant, recoverable_variant
from escala.engine.balance.board import draw_board
from escala.engine.beauty.tally import difference_picture, tally_of, tally_sheet
from escala.engine.evaluator import Evaluator
from escala.engine.progress import Progress, no_progress
from escala.engine.request import Quality
from escala.engine.viewer.probe import probe_at
from escala.engine.viewer.scope import ScopeWish, draw_scope
from escala.engine.viewer.screen import ViewerAids, difference_of, screen_picture
from escala.engine.viewer.subject import Subject, values_at
from escala.engine.worker import EXACT, PREVIEW, SMALL, yield_to_urgent
from escala.model.numbers import Count
from escala.model.variant import Variant

from ..app_context import app_context
from ..clients import client_name
from ..job_manager import Job
from ..query import Query
from ..routing import Routes
from ..schemas import Preview, Region, VariantPath
from .placing import MOST_SHOWN, OutSize, enlarged, region_of, viewport_of
from .schemas import (
    BoardOut,
    BoardRequest,
    DifferenceQuery,
    PictureRequest,
    ProbeOut,
    ProbeRequest,
    ScopeRequest,
    SubjectRequest,
    TallyOut,
    ValuesOut,
    ValuesRequest,
)

Result = TypeVar("Result")


class FrameQuery(Query):
    """A frame number; none: the first. `lifted`: dark pictures brighter, to be seen."""

    frame: Count | None = None
    lifted: bool = False


routes = Routes("pictures", __name__, url_prefix="/api/variants/<int:variant_id>")


def evaluate_variant(
    path: VariantPath,
    preview: Preview,
    work: Callable[[Evaluator, Variant], Result],
    priority: int,
) -> Result:
    """What `work` makes of a variant on a frame, on the thread that owns evaluation."""
    context = app_context()
    with context.database.reading() as session:
        row = find_variant(session, path.variant_id, is_deferred=True)
        document, shot_id = context.states.previewed(session, row, preview.base, preview.patch), row.shot_id
    document = context.resolve_paths(document)
    opened = context.open(shot_id, document, preview.frame)
    return context.evaluator_pool.evaluate(lambda: work(opened.interpret(), document), priority, client=client_name())


def _subject_of(shot_id: int, document: Variant, wanted: SubjectRequest) -> Callable[[], Subject]:
    """What is looked at, decoded now; it is interpreted within the job that evaluates it."""
    context = app_context()
    variant = context.resolve_paths(document)
    opened = context.open(shot_id, variant, wanted.frame)
    image = context.comparison_image(wanted.picture) if wanted.picture else None
    return lambda: Subject(opened.interpret(), variant, wanted.station, wanted.pass_name, image)


def _evaluate_subjects(
    path: VariantPath,
    wanted: list[SubjectRequest],
    work: Callable[..., Result],
    priority: int,
    viewer: str | None = None,
) -> Result:
    """What `work` makes of one or two subjects, on the thread that owns evaluation."""
    context = app_context()
    with context.database.reading() as session:
        known = []
        for each in wanted:
            row = (
                find_variant(session, path.variant_id, is_deferred=True)
                if each.variant is None
                else recoverable_variant(session, each.variant, is_deferred=True)
            )
            known.append((row.shot_id, context.states.previewed(session, row, each.base, each.patch), each))
    subjects = [_subject_of(*each) for each in known]
    return context.evaluator_pool.evaluate(
        lambda: work(*(make() for make in subjects)), priority, viewer, client_name()
    )


@routes.post("/picture")
def post_picture(path: VariantPath, body: PictureRequest) -> Response:
    """A picture for the screen; the header X-Region says which part it shows."""
    started = time.perf_counter()
    aids, viewer = ViewerAids(**body.aids.model_dump()), f"picture {body.viewer}" if body.viewer else None
    against = body.against

    quality, priority = (Quality.PREVIEW, PREVIEW) if body.live else (Quality.EXACT, EXACT)
    wanted = OutSize(body.out_width, body.out_height)
    if wanted.width * wanted.height > MOST_SHOWN:
        raise BadSource(f"a viewer image has at most {MOST_SHOWN // 10**6} million pixels; export it instead")

    def made(progress: Progress) -> tuple[bytes, str, Region]:
        def show(subject: Subject) -> tuple[bytes, str, Region]:
            viewport, size = viewport_of(subject.evaluator, wanted, body.region), enlarged(wanted, body.region)
            seen_by = replace(subject, viewer=body.viewer, progress=progress)
            return *screen_picture(seen_by, viewport, quality, aids, size), region_of(subject.evaluator, viewport)

        def compare(subject: Subject, other: Subject) -> tuple[bytes, str, Region]:
            assert against is not None
            viewport, size = viewport_of(subject.evaluator, wanted, body.region), enlarged(wanted, body.region)
            pair = replace(subject, progress=progress), replace(other, progress=progress)
            picture = difference_of(*pair, viewport, against.gain, against.measure, size)
            return picture, "image/png", region_of(subject.evaluator, viewport)

        if against is None:
            return _evaluate_subjects(path, [body], show, priority, viewer)
        return _evaluate_subjects(path, [body, against.subject], compare, priority, viewer)

    picture, kind, shown = made(no_progress) if body.live else _as_job(made, body.viewer)
    response = Response(picture, mimetype=kind)
    response.headers["X-Region"] = f"{shown.x} {shown.y} {shown.width} {shown.height}"
    response.headers["X-Milliseconds"] = f"{(time.perf_counter() - started) * 1000:.1f}"
    return response


def _as_job(work: Callable[[Progress], Result], viewer: str) -> Result:
    """An exact image, which gives way to more urgent ones; one that takes long is a job that can be stopped."""
    jobs = app_context().jobs

    def run(job: Job) -> Result:
        def progress(share: float, doing: str) -> None:
            yield_to_urgent()
            jobs.report(job, share, doing)

        return work(progress)

    return jobs.here("Exact image", run, viewer, _LISTED_AFTER_SECONDS)


@routes.post("/values", responses={200: ValuesOut})
def post_values(path: VariantPath, body: ValuesRequest) -> dict[str, Any]:
    """The numbers behind a few pixels."""
    wanted = OutSize(body.out_width or body.region.width, body.out_height or body.region.height)
    if wanted.width * wanted.height > _MOST_VALUES:
        raise BadSource(f"limit: {_MOST_VALUES} pixels per request")

    def work(subject: Subject) -> tuple[Planes, Region]:
        viewport = viewport_of(subject.evaluator, wanted, body.region)
        return values_at(subject, viewport), region_of(subject.evaluator, viewport)

    planes, region = _evaluate_subjects(path, [body], work, SMALL)
    numbers = np.where(np.isfinite(planes), planes, None)
    return {"channels": numbers.tolist(), "region": region.model_dump()}


@routes.post("/board", responses={200: BoardOut})
def post_board(path: VariantPath, body: BoardRequest) -> dict[str, Any]:
    """Rows, columns and shares of the board."""
    board, _ = evaluate_variant(
        path, body, lambda evaluator, variant: draw_board(evaluator, variant, body.lifted), SMALL
    )
    return {"board": asdict(board)}


@routes.post("/board/sheet")
def post_board_sheet(path: VariantPath, body: BoardRequest) -> Response:
    """The small pictures of the board, on one sheet."""
    _, sheet = evaluate_variant(
        path, body, lambda evaluator, variant: draw_board(evaluator, variant, body.lifted), SMALL
    )
    return Response(sheet, mimetype="image/jpeg")


@routes.get("/tally", responses={200: TallyOut})
def get_tally(path: VariantPath, query: FrameQuery) -> dict[str, Any]:
    """The recipe as a sum, and its verdict."""
    tally = evaluate_variant(path, Preview(frame=query.frame), tally_of, SMALL)
    return {"tally": asdict(tally) if tally else None}


@routes.get("/tally/sheet")
def get_tally_sheet(path: VariantPath, query: FrameQuery) -> Response:
    """The small pictures of the tally, on one sheet."""

    def work(evaluator: Evaluator, variant: Variant) -> bytes:
        return tally_sheet(evaluator, variant, query.lifted)

    return Response(evaluate_variant(path, Preview(frame=query.frame), work, SMALL), mimetype="image/jpeg")


@routes.get("/difference")
def get_difference(path: VariantPath, query: DifferenceQuery) -> Response:
    """The difference of sum and reference."""

    def work(evaluator: Evaluator, variant: Variant) -> bytes:
        return difference_picture(evaluator, variant, query.gain, query.width)

    return Response(evaluate_variant(path, Preview(frame=query.frame), work, SMALL), mimetype="image/png")


@routes.post("/probe", responses={200: ProbeOut})
def post_probe(path: VariantPath, body: ProbeRequest) -> dict[str, Any]:
    """The values at a place, and what makes them."""

    def work(evaluator: Evaluator, variant: Variant) -> dict[str, Any]:
        return {"probe": asdict(probe_at(evaluator, variant, body.x, body.y, body.size))}

    return evaluate_variant(path, body, work, SMALL)


@routes.post("/scope")
def post_scope(path: VariantPath, body: ScopeRequest) -> Response:
    """A scope of what is looked at."""
    wish = ScopeWish(body.kind, body.scale, body.columns, body.rows, body.object_name)

    def work(subject: Subject) -> bytes:
        display = subject.evaluator.render.display
        region = body.region or Region(x=0, y=0, width=display.width, height=display.height)
        scale = min(1.0, _SCOPE_PIXELS / max(region.width, region.height))
        size = OutSize(max(1, round(region.width * scale)), max(1, round(region.height * scale)))
        quality = Quality.PREVIEW if body.patch else Quality.EXACT
        return draw_scope(subject, viewport_of(subject.evaluator, size, region), wish, quality)

    return Response(_evaluate_subjects(path, [body], work, SMALL), mimetype="image/png")


# The most pixels whose values are sent at once, and the longest side of a picture that a scope counts.
_MOST_VALUES = 4096
_SCOPE_PIXELS = 640
_LISTED_AFTER_SECONDS = 0.8

"""Pictures and measurements of a variant: viewer, board, tally, difference, probe."""

import time
from collections.abc import Callable
from dataclasses import asdict, dataclass
from typing import Any, TypeVar

import numpy as np
from flask import Response
from flask_openapi3 import APIBlueprint
from pydantic import BaseModel

from escala.core.errors import BadSource
from escala.core.planes import Planes
from escala.engine.board import draw_board
from escala.engine.look import Look
from escala.engine.mattes import crypto_layers
from escala.engine.picture import FrameEngine
from escala.engine.probe import probe_at
from escala.engine.scope import ScopeWish, draw_scope
from escala.engine.screen import ViewerAids, difference_of, screen_picture
from escala.engine.subject import Subject, values_at
from escala.engine.tally import difference_picture, tally_of, tally_sheet
from escala.engine.worker import LONG, MOVING, RESTING, SMALL
from escala.model.variant import Variant
from escala.record.revisions import patched
from escala.record.shots import find_variant

from .schemas import (
    BoardOut,
    DifferenceQuery,
    ObjectsOut,
    PictureRequest,
    Preview,
    ProbeOut,
    ProbeRequest,
    Region,
    ScopeRequest,
    SubjectRequest,
    TallyOut,
    ValuesOut,
    ValuesRequest,
    VariantPath,
)
from .studio import Studio

Result = TypeVar("Result")


class FrameQuery(BaseModel):
    """A frame number; none: the first."""

    frame: int | None = None


def picture_routes(studio: Studio) -> APIBlueprint:
    """The blueprint."""
    routes = APIBlueprint("pictures", __name__, url_prefix="/api/variants/<int:variant_id>")

    def evaluate(
        path: VariantPath,
        preview: Preview,
        work: Callable[[FrameEngine, Variant], Result],
        urgency: int,
    ) -> Result:
        with studio.session() as session:
            row = find_variant(session, path.variant_id)
            document, shot_id = studio.check_files(patched(row.document, preview.patch)), row.shot_id
        engine = studio.engine_of_variant(shot_id, document, preview.frame)
        return studio.thread.run(lambda: work(engine, document), urgency)

    def subject_of(shot_id: int, document: dict[str, Any], wanted: SubjectRequest) -> Subject:
        variant = studio.check_files(patched(document, wanted.patch))
        engine = studio.engine_of_variant(shot_id, variant, wanted.frame)
        picture = studio.brought_picture(wanted.picture) if wanted.picture else None
        return Subject(engine, variant, wanted.station, wanted.pass_name, picture)

    def evaluate_subjects(
        path: VariantPath,
        wanted: list[SubjectRequest],
        work: Callable[..., Result],
        urgency: int,
        viewer: str | None = None,
    ) -> Result:
        with studio.session() as session:
            row = find_variant(session, path.variant_id)
            document, shot_id = row.document, row.shot_id
        subjects = [subject_of(shot_id, document, each) for each in wanted]
        return studio.thread.run(lambda: work(*subjects), urgency, viewer)

    @routes.post("/picture")
    def post_picture(path: VariantPath, body: PictureRequest) -> Response:
        started = time.perf_counter()
        aids, viewer = ViewerAids(**body.aids.model_dump()), f"picture {body.viewer}" if body.viewer else None
        against = body.against

        def show(subject: Subject) -> tuple[bytes, str]:
            return screen_picture(subject, _look(subject.engine, body, body.region), body.live, aids)

        def compare(subject: Subject, other: Subject) -> tuple[bytes, str]:
            assert against is not None
            look = _look(subject.engine, body, body.region)
            return difference_of(subject, other, look, against.gain, against.measure), "image/png"

        urgency = MOVING if body.live else RESTING
        if against is None:
            picture, kind = evaluate_subjects(path, [body], show, urgency, viewer)
        else:
            picture, kind = evaluate_subjects(path, [body, against.subject], compare, urgency, viewer)
        response = Response(picture, mimetype=kind)
        response.headers["X-Milliseconds"] = f"{(time.perf_counter() - started) * 1000:.1f}"
        return response

    @routes.post("/values", responses={200: ValuesOut})
    def post_values(path: VariantPath, body: ValuesRequest) -> dict[str, Any]:
        if body.region.width * body.region.height > _MOST_VALUES:
            raise BadSource(f"numbers are told of {_MOST_VALUES} pixels at most")

        def work(subject: Subject) -> Planes:
            region = body.region
            return values_at(subject, _look(subject.engine, region, region))

        planes = evaluate_subjects(path, [body], work, SMALL)
        told = np.where(np.isfinite(planes), planes, None)
        return {"channels": told.tolist()}

    @routes.post("/board", responses={200: BoardOut})
    def post_board(path: VariantPath, body: Preview) -> dict[str, Any]:
        board, _ = evaluate(path, body, draw_board, SMALL)
        return {"board": asdict(board)}

    @routes.post("/board/sheet")
    def post_board_sheet(path: VariantPath, body: Preview) -> Response:
        _, sheet = evaluate(path, body, draw_board, SMALL)
        return Response(sheet, mimetype="image/jpeg")

    @routes.get("/tally", responses={200: TallyOut})
    def get_tally(path: VariantPath, query: FrameQuery) -> dict[str, Any]:
        tally = evaluate(path, Preview(frame=query.frame), tally_of, LONG)
        return {"tally": asdict(tally) if tally else None}

    @routes.get("/tally/sheet")
    def get_tally_sheet(path: VariantPath, query: FrameQuery) -> Response:
        return Response(evaluate(path, Preview(frame=query.frame), tally_sheet, LONG), mimetype="image/jpeg")

    @routes.get("/difference")
    def get_difference(path: VariantPath, query: DifferenceQuery) -> Response:
        def work(engine: FrameEngine, variant: Variant) -> bytes:
            return difference_picture(engine, variant, query.gain, query.width)

        return Response(evaluate(path, Preview(frame=query.frame), work, LONG), mimetype="image/png")

    @routes.post("/probe", responses={200: ProbeOut})
    def post_probe(path: VariantPath, body: ProbeRequest) -> dict[str, Any]:
        def work(engine: FrameEngine, variant: Variant) -> dict[str, Any]:
            return {"probe": asdict(probe_at(engine, variant, body.x, body.y, body.size))}

        return evaluate(path, body, work, SMALL)

    @routes.post("/scope")
    def post_scope(path: VariantPath, body: ScopeRequest) -> Response:
        wish = ScopeWish(body.kind, body.scale, body.columns, body.rows, body.object_name)

        def work(subject: Subject) -> bytes:
            display = subject.engine.render.display
            region = body.region or Region(x=0, y=0, width=display.width, height=display.height)
            scale = min(1.0, _SCOPE_PIXELS / max(region.width, region.height))
            size = _Size(max(1, round(region.width * scale)), max(1, round(region.height * scale)))
            return draw_scope(subject, _look(subject.engine, size, region), wish, bool(body.patch))

        return Response(evaluate_subjects(path, [body], work, SMALL), mimetype="image/png")

    @routes.get("/objects", responses={200: ObjectsOut})
    def get_objects(path: VariantPath) -> dict[str, Any]:
        def work(engine: FrameEngine, variant: Variant) -> list[str]:
            return sorted({name for layer in crypto_layers(engine.frame) for name in layer.manifest})

        return {"objects": evaluate(path, Preview(), work, SMALL)}

    return routes


# The most pixels of which the numbers are told at once, and the longest side of a picture that a scope counts.
_MOST_VALUES = 4096
_SCOPE_PIXELS = 640


@dataclass(frozen=True)
class _Size:
    width: int
    height: int


def _look(engine: FrameEngine, out: PictureRequest | Region | _Size, region: Region) -> Look:
    """The region asked for, cut to the displayed picture, in places of the raster, as so many pixels."""
    display, raster = engine.render.display, engine.render.raster
    left, top = max(0, min(region.x, display.width - 1)), max(0, min(region.y, display.height - 1))
    width = max(1, min(region.x + region.width, display.width) - left)
    height = max(1, min(region.y + region.height, display.height) - top)
    corner = (left + display.x - raster.x, top + display.y - raster.y)
    if isinstance(out, PictureRequest):
        return Look(*corner, width, height, out.out_width, out.out_height)
    return Look(*corner, width, height, min(width, out.width), min(height, out.height))

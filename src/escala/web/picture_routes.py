"""Pictures and measurements of a variant: viewer, board, tally, difference, probe."""

import time
from collections.abc import Callable
from dataclasses import asdict
from typing import Any, TypeVar

from flask import Response
from flask_openapi3 import APIBlueprint
from pydantic import BaseModel

from escala.engine.board import draw_board
from escala.engine.look import Look
from escala.engine.picture import FrameEngine
from escala.engine.probe import probe_at
from escala.engine.screen import ViewerAids, scope_picture, screen_picture
from escala.engine.tally import difference_picture, tally_of, tally_sheet
from escala.engine.worker import LONG, MOVING, RESTING, SMALL
from escala.model.variant import Variant
from escala.record.revisions import patched
from escala.record.shots import find_variant

from .schemas import (
    BoardOut,
    DifferenceQuery,
    PictureRequest,
    Preview,
    ProbeOut,
    ProbeRequest,
    ScopeRequest,
    TallyOut,
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
        viewer: str | None = None,
    ) -> Result:
        with studio.session() as session:
            row = find_variant(session, path.variant_id)
            document, shot_id = studio.check_files(patched(row.document, preview.patch)), row.shot_id
        engine = studio.engine_of_variant(shot_id, document, preview.frame)
        return studio.thread.run(lambda: work(engine, document), urgency, viewer)

    @routes.post("/picture")
    def post_picture(path: VariantPath, body: PictureRequest) -> Response:
        started = time.perf_counter()

        def work(engine: FrameEngine, variant: Variant) -> tuple[bytes, str]:
            aids = ViewerAids(**body.aids.model_dump())
            return screen_picture(engine, variant, body.station, _look(engine, body), body.live, aids)

        urgency = MOVING if body.live else RESTING
        picture, kind = evaluate(path, body, work, urgency, f"picture {body.viewer}" if body.viewer else None)
        response = Response(picture, mimetype=kind)
        response.headers["X-Milliseconds"] = f"{(time.perf_counter() - started) * 1000:.1f}"
        return response

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
        def work(engine: FrameEngine, variant: Variant) -> bytes:
            return scope_picture(engine, variant, body.station, body.kind, body.columns, body.rows)

        return Response(evaluate(path, body, work, SMALL), mimetype="image/png")

    return routes


def _look(engine: FrameEngine, body: PictureRequest) -> Look:
    """The region asked for, cut to the displayed picture, in places of the raster."""
    display, raster, region = engine.render.display, engine.render.raster, body.region
    left, top = max(0, min(region.x, display.width - 1)), max(0, min(region.y, display.height - 1))
    width = max(1, min(region.x + region.width, display.width) - left)
    height = max(1, min(region.y + region.height, display.height) - top)
    corner = (left + display.x - raster.x, top + display.y - raster.y)
    return Look(*corner, width, height, body.out_width, body.out_height)

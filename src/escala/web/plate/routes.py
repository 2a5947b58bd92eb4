"""Plate of a variant: its layers in words and small pictures, and what lies beside a shot for them."""

from dataclasses import asdict
from pathlib import Path
from typing import Any

from flask import Response

from escala.engine.plate.sheet import draw_plate
from escala.engine.worker import SMALL
from escala.media.clips import CLIP_SUFFIXES, group_clips

from ..app_context import app_context
from ..media.routes import readable_in
from ..pictures.routes import evaluate_variant
from ..routing import Routes
from ..schemas import Preview, ShotPath, VariantPath
from .schemas import ClipsOut, PlateOut

_MAX_CLIPS = 200

routes = Routes("plate", __name__, url_prefix="/api")


@routes.post("/variants/<int:variant_id>/plate", responses={200: PlateOut})
def post_plate(path: VariantPath, body: Preview) -> dict[str, Any]:
    """The layers of a plate from back to front."""
    return {"plate": asdict(evaluate_variant(path, body, draw_plate, SMALL)[0])}


@routes.post("/variants/<int:variant_id>/plate/sheet")
def post_plate_sheet(path: VariantPath, body: Preview) -> Response:
    """The small pictures of the layers, one below another."""
    return Response(evaluate_variant(path, body, draw_plate, SMALL)[1], mimetype="image/jpeg")


@routes.get("/shots/<int:shot_id>/clips", responses={200: ClipsOut})
def list_clips(path: ShotPath) -> dict[str, Any]:
    """Pictures, sequences and videos beside a shot's files and in the folders there."""
    context = app_context()
    renders = (context.render_of(path.shot_id), *context.further_of(path.shot_id).values())
    own = {Path(entry.path) for render in renders for entries in render.frames.values() for entry in entries}
    folder = Path(next(iter(renders[0].frames.values()))[0].path).parent
    folders = [folder, *(entry for entry in readable_in(context, folder) if entry.is_dir())]
    files = [e for place in folders for e in readable_in(context, place) if e.suffix.lower() in CLIP_SUFFIXES]
    found = group_clips([file for file in files if file not in own])[:_MAX_CLIPS]
    return {"clips": [{"name": Path(p).name, "path": p, "frames": count} for p, count in found]}

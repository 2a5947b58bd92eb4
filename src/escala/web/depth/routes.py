"""Depth of a variant: how its pass is read, how often each distance occurs, what is at a place."""

from dataclasses import asdict
from typing import Any

from escala.engine.depth.survey import depth_at, survey_depth
from escala.engine.worker import SMALL

from ..pictures.routes import evaluate_variant
from ..routing import Routes
from ..schemas import Preview, VariantPath
from .schemas import DepthPlaceOut, DepthRequest, SurveyOut

routes = Routes("depth", __name__, url_prefix="/api/variants/<int:variant_id>/depth")


@routes.post("/analysis", responses={200: SurveyOut})
def post_survey(path: VariantPath, body: Preview) -> dict[str, Any]:
    """How the depth of a frame is read, and how often each distance occurs."""
    return {"survey": asdict(evaluate_variant(path, body, survey_depth, SMALL))}


@routes.post("/sample", responses={200: DepthPlaceOut})
def post_place(path: VariantPath, body: DepthRequest) -> dict[str, Any]:
    """The distance at a place, and the disc that a lens makes of it."""
    found = evaluate_variant(path, body, lambda evaluator, variant: depth_at(evaluator, variant, body.x, body.y), SMALL)
    return {"place": asdict(found)}

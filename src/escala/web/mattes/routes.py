"""Mattes of a variant: the shelf and its small pictures, names under the pointer, outlines."""

from dataclasses import asdict
from typing import Any

from flask import Response

from escala.engine.evaluator import Evaluator
from escala.engine.mattes.shelf import Shelf, draw_shelf, matte_outlines, object_layers, objects_at
from escala.engine.worker import SMALL
from escala.model.variant import Variant

from ..pictures.routes import FrameQuery, evaluate_variant
from ..routing import Routes
from ..schemas import Preview, VariantPath
from .schemas import LayersOut, OutlineOut, OutlineRequest, PointRequest, ShelfOut, ShelfRequest, UnderOut

routes = Routes("mattes", __name__, url_prefix="/api/variants/<int:variant_id>/mattes")


@routes.post("", responses={200: ShelfOut})
def post_shelf(path: VariantPath, body: ShelfRequest) -> dict[str, Any]:
    """The mattes of a variant: what each covers, where it is used, what it waits for."""
    return {"shelf": asdict(_drawn(path, body)[0])}


@routes.post("/sheet")
def post_shelf_sheet(path: VariantPath, body: ShelfRequest) -> Response:
    """The small pictures of the shelf, on one sheet."""
    return Response(_drawn(path, body)[1], mimetype="image/jpeg")


def _drawn(path: VariantPath, body: ShelfRequest) -> tuple[Shelf, bytes]:
    def work(evaluator: Evaluator, variant: Variant) -> tuple[Shelf, bytes]:
        return draw_shelf(evaluator, variant, body.first, body.count)

    return evaluate_variant(path, body, work, SMALL)


@routes.get("/layers", responses={200: LayersOut})
def get_layers(path: VariantPath, query: FrameQuery) -> dict[str, Any]:
    """The cryptomatte layers of a frame."""

    def work(evaluator: Evaluator, variant: Variant) -> list[dict[str, Any]]:
        return [asdict(layer) for layer in object_layers(evaluator)]

    return {"layers": evaluate_variant(path, Preview(frame=query.frame), work, SMALL)}


@routes.post("/pick", responses={200: UnderOut})
def post_point(path: VariantPath, body: PointRequest) -> dict[str, Any]:
    """What lies under the pointer, or in a rectangle that was drawn."""

    def work(evaluator: Evaluator, variant: Variant) -> dict[str, Any]:
        return asdict(objects_at(evaluator, body.x, body.y, body.width, body.height, body.layer))

    return evaluate_variant(path, body, work, SMALL)


@routes.post("/outline", responses={200: OutlineOut})
def post_outline(path: VariantPath, body: OutlineRequest) -> dict[str, Any]:
    """The outline of a matte."""

    def work(evaluator: Evaluator, variant: Variant) -> list[Any]:
        return matte_outlines(evaluator, variant, body.name)

    return {"outline": evaluate_variant(path, body, work, SMALL)}

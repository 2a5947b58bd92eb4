"""Matching the balance of a variant to a reference, or to wishes; nothing is changed by it."""

from typing import Any

from escala.core.errors import BadSource
from escala.engine.balance.solving import Solution, Wish, rows_of, solve_levels, solve_wishes
from escala.engine.balance.tinting import tint_towards
from escala.engine.colour.pipeline import working_colour
from escala.engine.evaluator import Evaluator
from escala.engine.images import ImageSource
from escala.engine.worker import SMALL
from escala.model.variant import Variant

from ..app_context import app_context
from ..pictures.routes import evaluate_variant
from ..routing import Routes
from ..schemas import VariantPath
from .schemas import MatchOut, MatchRequest, TintOut, TintRequest

routes = Routes("matching", __name__, url_prefix="/api/variants/<int:variant_id>")


@routes.post("/tint", responses={200: TintOut})
def post_tint(path: VariantPath, body: TintRequest) -> dict[str, Any]:
    """The tint with which a light or component has a chosen colour."""

    def work(evaluator: Evaluator, variant: Variant) -> tuple[float, float, float]:
        colour = working_colour(body.colour, evaluator.colour_pipeline(variant))
        return tint_towards(evaluator, variant, body.axis, body.name, colour)

    return {"tint": evaluate_variant(path, body, work, SMALL)}


@routes.post("/match", responses={200: MatchOut})
def post_match(path: VariantPath, body: MatchRequest) -> dict[str, Any]:
    """The levels that come nearest to a reference picture, or to wishes."""
    if (body.picture is None) == (not body.wishes):
        raise BadSource("match to a reference picture, or to pinned places: one of the two")
    image = None
    if body.picture is not None:
        file = app_context().uploaded_image(body.picture)
        alpha = "unassociated" if file.suffix.lower() == ".png" else "associated"
        image = app_context().evaluator_pool.images.load(ImageSource(str(file), body.space, alpha))
    wishes = [Wish(**wish.model_dump()) for wish in body.wishes]

    def work(evaluator: Evaluator, variant: Variant) -> Solution:
        variant = variant.settled(evaluator.time(variant))
        if image is None:
            return solve_wishes(evaluator, variant, wishes, body.locked, body.tints)
        rows = rows_of(evaluator, variant, image)
        return solve_levels(evaluator, variant, rows, body.locked, body.tints, body.cells)

    found = evaluate_variant(path, body, work, SMALL)
    return MatchOut(
        table="cells" if found.of_cells else "lights",
        levels=found.levels,
        before=found.before,
        after=found.after,
        locked=list(found.locked),
    ).model_dump(mode="json")

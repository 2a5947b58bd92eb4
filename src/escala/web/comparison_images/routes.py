"""Upload an image to compare with."""

from pathlib import Path

from flask import request

from ..app_context import app_context
from ..routing import Routes
from .schemas import ComparisonImageOut

routes = Routes("comparison_images", __name__, url_prefix="/api")


@routes.put("/pictures/<string:name>", responses={201: ComparisonImageOut})
def upload_image() -> tuple[dict[str, str], int]:
    """Bring in a picture to compare with."""
    context = app_context()
    name = str((request.view_args or {})["name"])
    return {"picture": context.upload_image(name, request.stream), "title": Path(name).stem}, 201

"""Upload files of a render."""

import hashlib
from pathlib import Path

from flask import request

from escala.core.errors import BadSource, TooLarge
from escala.media.clips import CLIP_SUFFIXES
from escala.media.limits import check_disk
from escala.media.path_safety import place_in, printable

from ..app_context import AppContext, app_context, keep_body
from ..routing import Routes
from .schemas import CapacityQuery

routes = Routes("uploads", __name__, url_prefix="/api")


@routes.get("/uploads/capacity")
def upload_capacity(query: CapacityQuery) -> tuple[str, int]:
    """Whether so many bytes can be imported; requested before they are sent."""
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


def _keep_upload(context: AppContext, name: str) -> Path:
    """Stream the body of the request into a folder of its own under the uploads."""
    if Path(name).suffix.lower() not in CLIP_SUFFIXES:
        raise BadSource(f"{printable(name)}: only EXR, TIFF, PNG and JPEG files and videos can be imported")
    batch = hashlib.sha256(request.headers.get("X-Batch", name).encode()).hexdigest()[:16]
    return keep_body(request.stream, place_in(context.settings.uploads / batch, name), context.settings.upload_limit)

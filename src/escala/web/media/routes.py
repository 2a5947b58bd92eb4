"""Browse the media roots, and the images beside a shot."""

from contextlib import suppress
from pathlib import Path
from typing import Any

from escala.core.errors import BadSource
from escala.media.path_safety import printable
from escala.media.sources import SUFFIXES
from escala.media.stills import READABLE

from ..app_context import AppContext, app_context
from ..routing import Routes
from ..schemas import ShotPath
from .schemas import MediaOut, MediaQuery

_MAX_NEARBY = 200

routes = Routes("media", __name__, url_prefix="/api")


@routes.get("/media", responses={200: MediaOut})
def list_media(query: MediaQuery) -> dict[str, Any]:
    """Folders and pictures below the media roots."""
    context = app_context()
    return {"folder": query.folder, "entries": _entries(context, query.folder)}


@routes.get("/shots/<int:shot_id>/pictures", responses={200: MediaOut})
def list_nearby_images(path: ShotPath) -> dict[str, Any]:
    """Pictures beside a shot's files and in the folders there, which labels can show."""
    context = app_context()
    render = context.render_of(path.shot_id)
    own = {Path(entry.path) for entries in render.frames.values() for entry in entries}
    folder = next(iter(own)).parent
    folders = [folder, *(e for e in readable_in(context, folder) if e.is_dir())]
    found = [e for place in folders for e in readable_in(context, place) if e.suffix.lower() in READABLE]
    shown = [e for e in found if e not in own][:_MAX_NEARBY]
    return {"folder": str(folder), "entries": [{"name": e.name, "path": str(e), "folder": False} for e in shown]}


def _entries(context: AppContext, folder: str) -> list[dict[str, Any]]:
    """Folders and pictures in a folder; the roots themselves for an empty name."""
    if not folder:
        return [{"name": root.name, "path": str(root), "folder": True} for root in context.settings.media_roots]
    place = context.roots.readable(folder)
    if not place.is_dir():
        raise BadSource(f"{printable(folder)} is not a folder")
    kept = [e for e in readable_in(context, place) if e.is_dir() or e.suffix.lower() in SUFFIXES]
    return [{"name": e.name, "path": str(e), "folder": e.is_dir()} for e in kept]


def readable_in(context: AppContext, folder: Path) -> list[Path]:
    """What a folder holds that may be read: no link that leads out of the roots, and no hidden file."""
    with suppress(BadSource, OSError):  # it is gone, or lies where nothing may be read: there is nothing to offer
        context.roots.readable(folder)
        return [entry for entry in sorted(folder.iterdir()) if entry.name[0] != "." and _may_be_read(context, entry)]
    return []


def _may_be_read(context: AppContext, entry: Path) -> bool:
    try:
        context.roots.readable(entry)
    except (BadSource, OSError):
        return False
    return True

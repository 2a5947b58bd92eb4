"""Pictures for the screen: working-space planes to display bytes, fast while things move, exact when they rest."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from escala.core.corrections import expose
from escala.core.errors import choose
from escala.core.histogram import Histogram, histogram_of
from escala.core.planes import Planes
from escala.core.role_pictures import show_data
from escala.core.roles import EXACT_ROLES, Role
from escala.core.scopes import draw_scope
from escala.core.viewer_aids import apply_gamma, grey_of, mark_ends, show_channel, show_stops
from escala.media.stills import encode_jpeg, encode_png, to_bytes
from escala.model.variant import Variant

from .colouring import Colouring, baked_view, colouring_of
from .look import Look, whole_look
from .picture import FrameEngine
from .stations import STATION_BY_NAME


@dataclass(frozen=True)
class ViewerAids:
    """What the viewer alone does to a picture: exposure in stops, gamma, what is shown, marks at the screen's ends."""

    exposure: float = 0.0
    gamma: float = 1.0
    show: str = "colour"
    marks: bool = False


# A scope counts a picture of this width: enough for its columns, and quick.
_SCOPE_PIXELS = 640
NO_AIDS = ViewerAids()


def screen_picture(
    engine: FrameEngine, variant: Variant, station: str, look: Look, live: bool, aids: ViewerAids = NO_AIDS
) -> tuple[bytes, str]:
    """The picture at a station, encoded, and its media type: JPEG by the baked view while `live`, else exact PNG."""
    planes = choose("station", station, STATION_BY_NAME).tap(engine, variant, look, live)
    colouring = colouring_of(engine.render, variant)
    if aids != NO_AIDS:
        pixels = aided_bytes(planes, engine.alpha(look), colouring, aids)
    else:
        pixels = moving_bytes(planes, colouring) if live else resting_bytes(planes, colouring)
    return (encode_jpeg(pixels), "image/jpeg") if live else (encode_png(pixels), "image/png")


def aided_bytes(planes: Planes, alpha: Planes | None, colouring: Colouring, aids: ViewerAids) -> NDArray[np.uint8]:
    """(3, H, W) working space to (H, W, 3) display bytes as the viewer's aids want them, by the exact processor."""
    weights = colouring.working.luminance_weights
    if aids.exposure:
        planes = expose(planes, aids.exposure)
    if aids.show == "stops":
        return show_stops(planes, weights)
    if aids.show == "alpha":
        return to_bytes(grey_of(alpha if alpha is not None else np.ones(planes.shape[1:], np.float32)))
    if aids.show == "luminance":
        planes = grey_of(np.tensordot(weights.astype(np.float32), planes, axes=1))
    shown = colouring.config.display(planes, colouring.working.name, colouring.view)
    shown = apply_gamma(show_channel(shown, aids.show), aids.gamma)
    pixels = to_bytes(shown)
    return mark_ends(pixels, shown) if aids.marks else pixels


def moving_bytes(planes: Planes, colouring: Colouring) -> NDArray[np.uint8]:
    """(3, H, W) working space to (H, W, 3) display bytes by the baked view."""
    return baked_view(colouring.config, colouring.working.name, colouring.view).to_bytes(planes)


def resting_bytes(planes: Planes, colouring: Colouring) -> NDArray[np.uint8]:
    """As `moving_bytes`, by the exact processor."""
    return to_bytes(colouring.config.display(planes, colouring.working.name, colouring.view))


def scope_picture(engine: FrameEngine, variant: Variant, station: str, kind: str, columns: int, rows: int) -> bytes:
    """A scope of the scene-linear picture at a station, as PNG; counted on the picture at the scope's own width."""
    look = whole_look(engine.render, max(columns, _SCOPE_PIXELS))
    planes = choose("station", station, STATION_BY_NAME).tap(engine, variant, look, True)
    return encode_png(draw_scope(planes, kind, columns, rows))


def pass_histogram(engine: FrameEngine, name: str) -> Histogram:
    """How often each brightness occurs in a pass, counted on a smaller picture of it."""
    return histogram_of(engine.stored_pass(name, whole_look(engine.render, 480), exact=True)[:3])


def pass_picture(engine: FrameEngine, variant: Variant, name: str, look: Look) -> bytes:
    """A pass as its role wants to be seen, as JPEG: light under the view, data by its own range."""
    found = engine.render.find_pass(name)
    role = found.role if found else Role.OTHER
    planes = engine.stored_pass(name, look, exact=role in EXACT_ROLES)
    if found is None or not found.is_colour or planes.shape[0] < 3:
        return encode_jpeg(to_bytes(show_data(role, planes)))
    colouring = colouring_of(engine.render, variant)
    working = colouring.config.convert(planes[:3], colouring.input_space, colouring.working.name)
    return encode_jpeg(moving_bytes(working, colouring))

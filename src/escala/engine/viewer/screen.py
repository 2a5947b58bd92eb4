"""Pictures for the screen: working-space planes to display bytes, fast while things move, exact when they rest."""

from dataclasses import dataclass, replace

import cv2
import numpy as np
from numpy.typing import NDArray

from escala.core.balance.levels import stops_to_gain
from escala.core.errors import BadSource
from escala.core.planes import Planes, as_planes
from escala.core.viewer.histogram import Histogram, histogram_of
from escala.core.viewer.viewer_aids import (
    apply_gamma,
    brighter_than,
    checker,
    grey_of,
    hatch_matte,
    lay_over,
    mark_ends,
    show_channel,
    show_matte,
    show_outside,
    show_stops,
)
from escala.media.jpeg import encode_jpeg
from escala.media.stills import encode_png, to_bytes
from escala.model.variant import Variant

from ..colour.pipeline import ColourPipeline, baked_view, working_colour
from ..evaluator import Evaluator
from ..progress import subrange
from ..request import Quality
from ..worker import run_beside
from .subject import RenderedSubject, Subject, render_subject
from .viewport import Viewport, whole_viewport

Triple = tuple[float, float, float]


@dataclass(frozen=True)
class ViewerAids:
    """What the viewer alone does to a picture: exposure in stops, gamma, what is shown, marks at the screen's ends.

    `behind`: what is seen through clear pixels; nothing, a checker, or a colour (sRGB, 0..1). `matte`: one of the
    variant, "hatched" over the picture or "alone". `over`: light that comes to the lens brighter than so many stops
    over 0.18 is hatched.
    """

    exposure: float = 0.0
    gamma: float = 1.0
    show: str = "colour"
    marks: bool = False
    behind: str = "nothing"
    behind_colour: Triple = (0.5, 0.5, 0.5)
    matte: str | None = None
    matte_as: str = "hatched"
    over: float | None = None

    @property
    def of_light(self) -> "ViewerAids":
        """What of them is done to the light, before anything is laid over the picture."""
        return replace(self, matte=None, matte_as="hatched", over=None)


NO_AIDS = ViewerAids()
_BEFORE_LENS = "plate"
# The last step of a picture, when only its view is missing.
_VIEW_FROM = 0.9


def screen_picture(
    subject: Subject,
    viewport: Viewport,
    quality: Quality,
    aids: ViewerAids = NO_AIDS,
    size: tuple[int, int] | None = None,
) -> tuple[bytes, str]:
    """The subject, encoded, and its media type: JPEG by the baked view while moving, else exact PNG.

    What is display values already is shown as it is, whatever the aids. `size`: width and height to enlarge it to.
    """
    made = replace(subject, progress=subrange(subject.progress, 0.0, _VIEW_FROM))
    seen, request = (
        render_subject(made, viewport, quality),
        subject.evaluator.make_request(subject.variant, viewport, quality),
    )
    subject.progress(_VIEW_FROM, "view")
    colour_pipeline = request.colour_pipeline
    if not seen.scene:
        pixels = to_bytes(seen.planes)
    elif aids.of_light != NO_AIDS:
        pixels = aided_bytes(seen.planes, seen.picture.alpha, colour_pipeline, aids)
    else:
        pixels = (
            moving_bytes(seen.planes, colour_pipeline)
            if request.is_preview
            else run_beside(lambda: resting_bytes(seen.planes, colour_pipeline))
        )
    # One that was removed, or renamed, meanwhile is not shown.
    if aids.matte is not None and aids.matte in request.variant.mattes:
        matte = subject.evaluator.mattes.at(aids.matte, request)
        pixels = show_matte(matte) if aids.matte_as == "alone" else hatch_matte(pixels, matte)
    if aids.over is not None:
        pixels = hatch_matte(pixels, brighter_than(subject.evaluator.at(_BEFORE_LENS, request), aids.over))
    pixels = _enlarged(pixels, size)
    if request.is_preview:
        return encode_jpeg(pixels), "image/jpeg"
    return run_beside(lambda: encode_png(pixels)), "image/png"


def difference_of(
    one: Subject, other: Subject, viewport: Viewport, gain: float, measure: str, size: tuple[int, int] | None = None
) -> bytes:
    """The absolute difference of two subjects times `gain`, as PNG; data, so without a view.

    `measure`: "linear" in working-space light, or "display" in what the exact views show.
    """
    seen = [render_subject(subject, viewport) for subject in (one, other)]
    if measure == "linear":
        if not all(each.scene for each in seen):
            raise BadSource("one of the two holds display values, not scene-linear ones: compare display values")
        planes = [each.planes for each in seen]
    else:
        planes = [_as_displayed(each, subject) for each, subject in zip(seen, (one, other), strict=True)]
    return difference_bytes(planes[0], planes[1], gain, size)


def difference_bytes(one: Planes, other: Planes, gain: float, size: tuple[int, int] | None = None) -> bytes:
    """The absolute difference of two pictures times `gain`, as PNG. Where it is not a number, none is shown."""
    shown = np.nan_to_num(np.abs(one - other)) * np.float32(gain)
    return encode_png(_enlarged(to_bytes(np.minimum(shown, 1.0)), size))


def _enlarged(pixels: NDArray[np.uint8], size: tuple[int, int] | None) -> NDArray[np.uint8]:
    """Each pixel as many: after everything else, so that no requested size costs more than its encoding."""
    return pixels if size is None else np.asarray(cv2.resize(pixels, size, interpolation=cv2.INTER_NEAREST), np.uint8)


def aided_bytes(
    planes: Planes, alpha: Planes | None, colour_pipeline: ColourPipeline, aids: ViewerAids
) -> NDArray[np.uint8]:
    """(3, H, W) working space to (H, W, 3) display bytes as the viewer's aids want them, by the exact processor."""
    weights = colour_pipeline.working.luminance_weights
    if aids.show == "gamut":
        return show_outside(planes, weights)
    if aids.exposure:
        planes = planes * np.float32(stops_to_gain(aids.exposure))
    if aids.show == "stops":
        return show_stops(planes, weights)
    if aids.show == "alpha":
        return to_bytes(grey_of(alpha if alpha is not None else np.ones(planes.shape[1:], np.float32)))
    if aids.behind != "nothing" and alpha is not None:
        planes = lay_over(planes, alpha, _behind(planes, colour_pipeline, aids))
    if aids.show == "luminance":
        planes = grey_of(np.tensordot(weights.astype(np.float32), planes, axes=1))
    shown = colour_pipeline.config.display(planes, colour_pipeline.working.name, colour_pipeline.view)
    shown = apply_gamma(show_channel(shown, aids.show), aids.gamma)
    pixels = to_bytes(shown)
    return mark_ends(pixels, shown) if aids.marks else pixels


def moving_bytes(planes: Planes, colour_pipeline: ColourPipeline) -> NDArray[np.uint8]:
    """(3, H, W) working space to (H, W, 3) display bytes by the baked view."""
    return baked_view(colour_pipeline.config, colour_pipeline.working.name, colour_pipeline.view).to_bytes(planes)


def resting_bytes(planes: Planes, colour_pipeline: ColourPipeline) -> NDArray[np.uint8]:
    """As `moving_bytes`, by the exact processor."""
    return to_bytes(colour_pipeline.config.display(planes, colour_pipeline.working.name, colour_pipeline.view))


def pass_histogram(evaluator: Evaluator, name: str) -> Histogram:
    """How often each brightness occurs in a pass, counted on a smaller picture of it."""
    return histogram_of(evaluator.stored_pass(name, whole_viewport(evaluator.render, 480), exact=True)[:3])


def pass_picture(evaluator: Evaluator, variant: Variant, name: str, viewport: Viewport, lift: float = 0.0) -> bytes:
    """A pass as its role wants to be seen, as JPEG: light under the view, data by its own range.

    `lift`: stops by which light is shown brighter.
    """
    aids = ViewerAids(exposure=lift)
    return screen_picture(Subject(evaluator, variant, pass_name=name), viewport, Quality.PREVIEW, aids)[0]


def _as_displayed(seen: RenderedSubject, subject: Subject) -> Planes:
    if not seen.scene:
        return seen.planes
    colour_pipeline = subject.evaluator.colour_pipeline(subject.variant)
    shown = colour_pipeline.config.display(seen.planes, colour_pipeline.working.name, colour_pipeline.view)
    return np.clip(shown, 0.0, 1.0)


def _behind(planes: Planes, colour_pipeline: ColourPipeline, aids: ViewerAids) -> Planes:
    """What lies behind, as working-space light."""
    if aids.behind == "checker":
        return checker(*planes.shape[1:])
    return as_planes(np.array(working_colour(aids.behind_colour, colour_pipeline), np.float32).reshape(3, 1, 1))

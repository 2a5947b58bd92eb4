"""What is looked at: a station of a variant, one of its passes, or a picture that was imported for comparing."""

from dataclasses import dataclass

import numpy as np

from escala.core.colour.file_colour import input_space_of
from escala.core.errors import BadSource
from escala.core.planes import Planes, as_planes
from escala.core.roles import EXACT_ROLES
from escala.core.viewer.role_pictures import show_data
from escala.media.store import StoredFrame
from escala.model.variant import Variant

from ..evaluator import Evaluator
from ..images import OutsideImage
from ..pipeline import Picture
from ..progress import Progress, no_progress
from ..request import EvaluationRequest, Quality
from .viewport import Viewport, resize_planes, sample_pass


@dataclass(frozen=True)
class Subject:
    """A variant on a frame, and what of it is looked at.

    `image`: a comparison image in place of all of it. `viewer`: who looks, by any name; empty for nobody.
    `progress`: reports how far the picture is.
    """

    evaluator: Evaluator
    variant: Variant
    station: str = "display"
    pass_name: str | None = None
    image: OutsideImage | None = None
    viewer: str = ""
    progress: Progress = no_progress


@dataclass(frozen=True)
class RenderedSubject:
    """A picture: working-space light where `scene`, else display values 0..1."""

    picture: Picture
    scene: bool

    @property
    def planes(self) -> Planes:
        """Its colour, (3, H, W)."""
        return self.picture.colour


def render_subject(subject: Subject, viewport: Viewport, quality: Quality = Quality.EXACT) -> RenderedSubject:
    """The subject at a viewport. Raises `BadSource` or `UnknownChoice` for a pass or station that is not there."""
    if subject.image is not None:
        return _see_image(subject, subject.image, viewport)
    request = subject.evaluator.make_request(subject.variant, viewport, quality, subject.viewer, subject.progress)
    if subject.pass_name is not None:
        return _see_pass(subject, subject.pass_name, request)
    return RenderedSubject(subject.evaluator.picture(request, subject.station), True)


def values_at(subject: Subject, viewport: Viewport) -> Planes:
    """The numbers behind the pixels of a viewport: working-space light, or a data pass as stored; (C, H, W)."""
    name = subject.pass_name
    found = subject.evaluator.render.find_pass(name) if name and subject.image is None else None
    if found and not found.is_colour:
        return subject.evaluator.stored_pass(found.name, viewport, exact=True)
    return render_subject(subject, viewport).planes


def _see_pass(subject: Subject, name: str, request: EvaluationRequest) -> RenderedSubject:
    evaluator, colour_pipeline = subject.evaluator, request.colour_pipeline
    found = evaluator.render.find_pass(name)
    if found is None:
        raise BadSource(f"{evaluator.render.name} has no pass {name}")
    planes = evaluator.stored_pass(name, request.viewport, exact=found.role in EXACT_ROLES)
    if not found.is_colour or planes.shape[0] < 3:
        return RenderedSubject(_opaque(show_data(found.role, planes)), False)
    light = colour_pipeline.config.convert(planes[:3], colour_pipeline.space_of(name), colour_pipeline.working.name)
    return RenderedSubject(Picture(light, lambda: evaluator.alpha(request)), True)


def _see_image(subject: Subject, image: OutsideImage, viewport: Viewport) -> RenderedSubject:
    """A comparison image, laid over the whole of the displayed picture, whatever its size."""
    stored = image.colour_pass
    planes = as_planes(sample_pass(image.frame, stored.name, _placed(subject, image.frame, viewport)))
    planes = planes[:3] if planes.shape[0] >= 3 else np.repeat(planes[:1], 3, axis=0)
    planes = resize_planes(planes, viewport.out_width, viewport.out_height)
    if stored.colour.encoded:
        return RenderedSubject(_opaque(planes), False)
    colour_pipeline = subject.evaluator.colour_pipeline(subject.variant)
    space = input_space_of(colour_pipeline.config, stored.colour).name
    return RenderedSubject(_opaque(colour_pipeline.config.convert(planes, space, colour_pipeline.working.name)), True)


def _opaque(planes: Planes) -> Picture:
    return Picture(planes, lambda: None)


def _placed(subject: Subject, frame: StoredFrame, viewport: Viewport) -> Viewport:
    """The same part of the displayed picture in the raster of another frame."""
    (left, top), ours, theirs = subject.evaluator.render.offset, subject.evaluator.render.display, frame.header.display
    across, down = theirs.width / ours.width, theirs.height / ours.height
    x = round((viewport.x - left) * across) + theirs.x - frame.header.raster.x
    y = round((viewport.y - top) * down) + theirs.y - frame.header.raster.y
    width, height = max(1, round(viewport.width * across)), max(1, round(viewport.height * down))
    return Viewport(max(0, x), max(0, y), width, height, viewport.out_width, viewport.out_height)

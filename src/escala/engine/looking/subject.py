"""What is looked at: a station of a variant, one of its passes, or a picture that was brought in for comparing."""

from dataclasses import dataclass

import numpy as np

from escala.core.colour.file_colour import input_space_of
from escala.core.errors import BadSource
from escala.core.looking.role_pictures import show_data
from escala.core.planes import Planes, as_planes
from escala.core.roles import EXACT_ROLES
from escala.media.store import StoredFrame
from escala.model.variant import Variant

from ..chain import Picture
from ..evaluation import EvaluationRequest, Quality
from ..evaluator import Evaluator
from ..images import OutsideImage
from ..progress import Progress, no_progress
from .look import Look, resize_planes, sample_pass


@dataclass(frozen=True)
class Subject:
    """A variant on a frame, and what of it is looked at.

    `image`: a comparison image in place of all of it. `viewer`: who looks, by any name; empty for nobody.
    `progress`: who is told how far the picture is.
    """

    engine: Evaluator
    variant: Variant
    station: str = "display"
    pass_name: str | None = None
    image: OutsideImage | None = None
    viewer: str = ""
    progress: Progress = no_progress


@dataclass(frozen=True)
class Seen:
    """A picture: working-space light where `scene`, else display values 0..1."""

    picture: Picture
    scene: bool

    @property
    def planes(self) -> Planes:
        """Its colour, (3, H, W)."""
        return self.picture.colour


def see(subject: Subject, look: Look, quality: Quality = Quality.EXACT) -> Seen:
    """The subject at a look. Raises `BadSource` or `UnknownChoice` for a pass or station that is not there."""
    if subject.image is not None:
        return _see_image(subject, subject.image, look)
    request = subject.engine.make_request(subject.variant, look, quality, subject.viewer, subject.progress)
    if subject.pass_name is not None:
        return _see_pass(subject, subject.pass_name, request)
    return Seen(subject.engine.picture(request, subject.station), True)


def values_at(subject: Subject, look: Look) -> Planes:
    """The numbers behind the pixels of a look: working-space light, or a data pass as stored; (C, H, W)."""
    name = subject.pass_name
    found = subject.engine.render.find_pass(name) if name and subject.image is None else None
    if found and not found.is_colour:
        return subject.engine.stored_pass(found.name, look, exact=True)
    return see(subject, look).planes


def _see_pass(subject: Subject, name: str, request: EvaluationRequest) -> Seen:
    engine, colouring = subject.engine, request.colouring
    found = engine.render.find_pass(name)
    if found is None:
        raise BadSource(f"{engine.render.name} has no pass {name}")
    planes = engine.stored_pass(name, request.look, exact=found.role in EXACT_ROLES)
    if not found.is_colour or planes.shape[0] < 3:
        return Seen(_opaque(show_data(found.role, planes)), False)
    light = colouring.config.convert(planes[:3], colouring.space_of(name), colouring.working.name)
    return Seen(Picture(light, lambda: engine.alpha(request)), True)


def _see_image(subject: Subject, image: OutsideImage, look: Look) -> Seen:
    """A comparison image, laid over the whole of the displayed picture, whatever its size."""
    stored = image.colour_pass
    planes = as_planes(sample_pass(image.frame, stored.name, _placed(subject, image.frame, look)))
    planes = planes[:3] if planes.shape[0] >= 3 else np.repeat(planes[:1], 3, axis=0)
    planes = resize_planes(planes, look.out_width, look.out_height)
    if stored.colour.encoded:
        return Seen(_opaque(planes), False)
    colouring = subject.engine.colouring(subject.variant)
    space = input_space_of(colouring.config, stored.colour).name
    return Seen(_opaque(colouring.config.convert(planes, space, colouring.working.name)), True)


def _opaque(planes: Planes) -> Picture:
    return Picture(planes, lambda: None)


def _placed(subject: Subject, frame: StoredFrame, look: Look) -> Look:
    """The same part of the displayed picture in the raster of another frame."""
    (left, top), ours, theirs = subject.engine.render.offset, subject.engine.render.display, frame.header.display
    across, down = theirs.width / ours.width, theirs.height / ours.height
    x = round((look.x - left) * across) + theirs.x - frame.header.raster.x
    y = round((look.y - top) * down) + theirs.y - frame.header.raster.y
    width, height = max(1, round(look.width * across)), max(1, round(look.height * down))
    return Look(max(0, x), max(0, y), width, height, look.out_width, look.out_height)
